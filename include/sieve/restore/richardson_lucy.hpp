#pragma once
/// Richardson-Lucy deconvolution.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/restore/linear.hpp"

namespace SIEVE_EXPORT sieve {

/// Richardson-Lucy: u <- u * (h correlated with (g / (h * u))): the most likely picture under photon noise, never
/// negative, its sum kept. `accelerate` steps beyond each result in the direction of the last change (Biggs and
/// Andrews, 1997). `smoothness` divides by 1 - s div (grad u / |grad u|) in every iteration: a total-variation term
/// (Dey et al., 2006). Ends after `iterations`, or, with `noise`, once the residual's deviation is below it
/// (discrepancy): without an end the noise grows. Samples below 0 count as 0. Sources: Richardson, 1972; Lucy, 1974.
/// O(iterations * pixels log pixels).
struct RichardsonLucy {
  Kernel psf = Kernel::gaussian(1);      ///< of the blur, scaled to sum 1
  int iterations = 30;                   ///< at most, 1 to 10000
  bool accelerate = true;                ///< steps beyond each result
  std::optional<float> smoothness = {};  ///< 0 to 0.1; auto: 0.3 times the noise, at most 0.02
  std::optional<float> noise = {};       ///< deviation at which to stop, 0 to 1; auto: estimated; 0: all iterations
  Border border = Border::mirror;        ///< mirror, taper or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<RichardsonLucy>& d);
};

}  // namespace sieve
