#pragma once
/// Filters that take noise away and keep edges.

#include "sieve/denoise/bilateral.hpp"
#include "sieve/denoise/block_matching.hpp"
#include "sieve/denoise/diffusion.hpp"
#include "sieve/denoise/local_statistics.hpp"
#include "sieve/denoise/nonlocal.hpp"
#include "sieve/denoise/total_variation.hpp"
#include "sieve/denoise/wavelet_shrink.hpp"
