#pragma once
/// Total variation deconvolution.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/restore/linear.hpp"

namespace SIEVE_EXPORT sieve {

/// Total variation deconvolution: the picture u that minimizes sum |grad u| + 1 / (2 weight) sum (h * u - in)^2,
/// gradients by forward differences, their length over all color channels together, so that edges stay sharp and in one
/// place. Solved by the alternating direction method: the gradients are split off and shrunk, the rest is one division
/// by |h|^2 in the frequency domain. `weight` auto: 0.18 noise (e / noise)^-1.1, within 0.06 to 1 times the
/// noise (times the root of 3 for color), with e the deviation of the error that the best linear restoration is
/// expected to leave: what has about the least error over photographs, where a residual as large as the noise
/// (Morozov's rule) loses 1.5 dB. Ends when no iteration changes the picture by more than `tolerance` of its deviation,
/// or after `iterations`; a note tells weight, iterations and residual. Sources: Rudin and Osher, ICIP 1994; Wang,
/// Yang, Yin and Zhang, SIAM J. Imaging Sciences 1, 2008. O(iterations * pixels log pixels).
struct TotalVariationDeconvolution {
  Kernel psf = Kernel::gaussian(1);  ///< of the blur, scaled to sum 1
  std::optional<float> weight = {};  ///< above 0 to 10: the larger the smoother; auto: from the noise and the picture
  std::optional<float> noise = {};   ///< deviation of the noise for weight=auto, 0 to 1; auto: estimated
  Real tolerance = 0.002F;           ///< change of an iteration at which to end, 1e-6 to 0.1
  int iterations = 100;              ///< at most, 1 to 10000
  Border border = Border::taper;     ///< taper, mirror or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<TotalVariationDeconvolution>& d);
};

/// sum |grad u| + 1 / (2 weight) sum (h * u - in)^2, with `blurred` for h * u: what TotalVariationDeconvolution makes
/// small. All color channels together. InvalidArgument where shapes differ. O(samples).
[[nodiscard]] double variation_objective(const ConstView& u, const ConstView& blurred, const ConstView& in,
                                         double weight);

}  // namespace sieve
