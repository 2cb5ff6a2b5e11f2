#pragma once
// The orthogonal wavelets as filter banks, and any wavelet without decimation.

#include "wavelet/lifting.hpp"

namespace sieve::internal {

// Coefficients a band and side of n samples.
int bank_size(int n, const WaveletTaps& t);

// One level of one channel, and back: mirrored beyond the border.
void bank_forward(const ConstView& in, const WaveletTaps& t, const Level<View>& out);
void bank_inverse(const Level<ConstView>& in, const WaveletTaps& t, const View& out);

// One level without decimation, taps `step` apart, all bands of the picture's size. `border` is reflect for symmetric
// wavelets and wrap for the others: then the inverse is exact.
void undecimated_forward(const ConstView& in, const WaveletTaps& t, int step, const Level<View>& out);
void undecimated_inverse(const Level<ConstView>& in, const WaveletTaps& t, int step, const View& out);

}  // namespace sieve::internal
