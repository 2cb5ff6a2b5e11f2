#pragma once
/// Fourier and cosine transforms, and filters in the frequency domain.

#include "sieve/spectral/cosine.hpp"
#include "sieve/spectral/frequency.hpp"
#include "sieve/spectral/notch.hpp"
#include "sieve/spectral/peaks.hpp"
#include "sieve/spectral/spectrum.hpp"
