#pragma once
/// Plain definitions of corrections of the light.

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// (in - dark) / (flat - dark) times the mean of the divisor, held at `least` of that; an empty dark view counts as 0.
[[nodiscard]] Image flat_field(const ConstView& in, const ConstView& flat, const ConstView& dark, double least);
/// A polynomial surface on block means, as struct Background says, by normal equations and Gaussian elimination.
[[nodiscard]] Image polynomial_background(const ConstView& in, int degree);
/// The homomorphic filter in the frequency domain: cosine sums of the mirrored logarithm, times H, and back. O(n^3).
[[nodiscard]] Image homomorphic(const ConstView& in, double low, double high, double cutoff, double floor);

}  // namespace reference
}  // namespace sieve
