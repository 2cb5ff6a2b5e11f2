#pragma once
/// Plain definitions of the wavelet transforms.

#include "sieve/core/attributes.hpp"
#include "sieve/wavelet/bands.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The sums that WaveletTaps states, along rows, then along columns, level by level; undecimated with the taps 2^level
/// apart.
[[nodiscard]] WaveletBands wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated);
/// Back: every coefficient adds its synthesis taps; undecimated half the sum of both filters.
[[nodiscard]] Image wavelet_inverse(const WaveletBands& bands);

}  // namespace reference
}  // namespace sieve
