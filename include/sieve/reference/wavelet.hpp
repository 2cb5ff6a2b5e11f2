#pragma once
/// Plain definitions of the wavelet transforms.

#include "sieve/wavelet/bands.hpp"

namespace sieve::reference {

/// The sums that WaveletTaps states, along rows, then along columns, level by level; undecimated with the taps 2^level
/// apart.
WaveletBands wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated);
/// Back: every coefficient adds its synthesis taps; undecimated half the sum of both filters.
Image wavelet_inverse(const WaveletBands& bands);

}  // namespace sieve::reference
