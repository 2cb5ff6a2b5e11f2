#pragma once
/// Wavelet transforms.

#include "sieve/wavelet/bands.hpp"
#include "sieve/wavelet/reversible.hpp"
#include "sieve/wavelet/wavelet.hpp"
