#pragma once
/// Landweber's iteration.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/restore/linear.hpp"

namespace SIEVE_EXPORT sieve {

/// Landweber: u <- u + step (h correlated with (g - h * u)), from u = 0: the slow way to the inverse filter, which
/// reaches weak frequencies last, so that the number of iterations says how far the noise is let in. Ends after
/// `iterations`, or, with `noise`, once the residual's deviation is below it (discrepancy); a note tells the
/// iterations. Reckoned in one step: after n iterations a coefficient is (1 - (1 - step |H|^2)^n) G / H. Source:
/// Landweber, American Journal of Mathematics 73, 1951. O(pixels log pixels).
struct Landweber {
  Kernel psf = Kernel::gaussian(1);  ///< of the blur, scaled to sum 1
  int iterations = 1000;             ///< at most, 1 to 1000000
  Real step = 1;                     ///< times 1 / (largest |H|)^2, 0.001 to 1.99
  std::optional<float> noise = {};   ///< deviation at which to stop, 0 to 1; auto: estimated; 0: all iterations
  Border border = Border::taper;     ///< taper, mirror or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Landweber>& d);
};

}  // namespace sieve
