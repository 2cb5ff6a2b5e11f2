#pragma once
/// Richardson-Lucy deconvolution.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/restore/linear.hpp"

namespace SIEVE_EXPORT sieve {

/// Richardson-Lucy: u <- u * (h correlated with (g / (h * u))): the most likely picture under photon noise, never
/// negative, its sum kept. Samples below 0 count as 0.
///
/// `smoothness` divides by 1 - s div (grad u / |grad u|) in every iteration, a total-variation term (Dey et al., 2006;
/// in two halves, each with |grad u| the root of its square and that of 5 s u: flat parts would swing otherwise).
/// With it the iterations have an end, and go there from the Wiener filter's result until none changes the picture by
/// more than `tolerance` of its deviation, from the eleventh on. Auto: 0.13 noise (e / noise)^-0.2 / mean of the
/// channel, within 0.03 to 1 times the noise, with e the deviation of the error that the best linear restoration is
/// expected to leave: what has about the least error over photographs. Without smoothness they start from the picture,
/// and the noise grows: they end once the residual's deviation is at most `noise` (discrepancy).
///
/// `accelerate` begins the step k, from 1 on, beyond the last result, by (k - 2) / (k + 1) of the last change (Wang and
/// Miller, IEEE Trans. Image Processing 23, 2014). Sources: Richardson, 1972; Lucy, 1974. O(iterations * pixels log
/// pixels).
struct RichardsonLucy {
  Kernel psf = Kernel::gaussian(1);      ///< of the blur, scaled to sum 1
  int iterations = 40;                   ///< at most, 1 to 10000
  bool accelerate = true;                ///< begins each step beyond the last result
  std::optional<float> smoothness = {};  ///< 0 to 0.1; auto: by the noise and the picture
  std::optional<float> noise = {};       ///< its deviation, 0 to 1; auto: estimated; 0: all iterations, no smoothness
  Real tolerance = 0.0005F;              ///< change of an iteration at which to end, 1e-6 to 0.1
  Border border = Border::taper;         ///< taper, mirror or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<RichardsonLucy>& d);
};

}  // namespace sieve
