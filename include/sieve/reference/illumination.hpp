#pragma once
/// Plain definitions of corrections of the light.

#include "sieve/core/image.hpp"

namespace sieve::reference {

/// (in - dark) / (flat - dark) times the mean of the divisor, held at `least` of that; an empty dark view counts as 0.
Image flat_field(const ConstView& in, const ConstView& flat, const ConstView& dark, double least);
/// A polynomial surface on block means, as struct Background says, by normal equations and Gaussian elimination.
Image polynomial_background(const ConstView& in, int degree);
/// The homomorphic filter in the frequency domain: cosine sums of the mirrored logarithm, times H, and back. O(n^3).
Image homomorphic(const ConstView& in, double low, double high, double cutoff, double floor);

}  // namespace sieve::reference
