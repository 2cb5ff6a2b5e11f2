#pragma once
// The biorthogonal wavelets by lifting: one level of one channel, and back.

#include "sieve/core/image.hpp"
#include "sieve/wavelet/wavelet.hpp"

namespace sieve::internal {

// Two pairs of steps (the second pair 0 for 5/3), then a scale: odd += s0 (even + even'), even += s1 (odd' + odd), and
// again.
struct Lifting {
  double steps[4];
  double low_scale, high_scale;
};
const Lifting& lifting_of(Wavelet wavelet);

// The four bands of one level; those high along a side of one sample are empty views.
template <class V>
struct Level {
  V low, horizontal, vertical, diagonal;
};

void lift_forward(const ConstView& in, const Lifting& l, const Level<View>& out);
void lift_inverse(const Level<ConstView>& in, const Lifting& l, const View& out);

}  // namespace sieve::internal
