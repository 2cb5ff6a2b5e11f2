#pragma once
/// The homomorphic filter.

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// exp(h * log(v)): the logarithm turns light times reflectance into a sum; in the frequency domain the slow part
/// (light) is weakened by `low` and the fast part (detail) strengthened by `high`, with H(d) = low + (high - low) (1 -
/// exp(-d^2 / (2 cutoff^2))) at d cycles per pixel; then the exponential. The mean of the logarithm is kept, so that
/// the picture grows neither darker nor brighter as a whole. Samples under 1/1000 count as 1/1000 (told in a note where
/// there are any). The picture goes on mirrored beyond its borders by default, so that one row does not stand for all
/// beyond. The transfer function is a Gaussian's, so the work is done by a Gaussian blur of sigma 1 / (2 pi cutoff),
/// which is the same. On color the luma is filtered and the hue kept. NaN in the input: those pixels count as 1/1000
/// and stay NaN. Tells flatness before and after. Source: Gonzalez and Woods, 4th ed., 4.9 (homomorphic filtering).
/// O(pixels).
struct Homomorphic {
  Real low = 0.4F;      ///< gain of the slow part, 0 to 1
  Real high = 1.2F;     ///< gain of the fast part, 0 to 10
  Real cutoff = 0.01F;  ///< cycles per pixel where the slow part ends, 0.00032 to 0.1: 0.01 is a period of 100 pixels
  Border border = Border::mirror;  ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Homomorphic>& d);
};

}  // namespace sieve
