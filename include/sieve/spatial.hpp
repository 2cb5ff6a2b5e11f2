#pragma once
/// Filters on neighborhoods: kernels, convolution and correlation, gradients, smoothing, and the picture's frame.

#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/footprint.hpp"
#include "sieve/spatial/frame.hpp"
#include "sieve/spatial/gradient.hpp"
#include "sieve/spatial/kernel.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
