#pragma once
/// Total variation denoising.

#include <optional>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How total variation denoising was reached.
struct TotalVariationReport {
  int iterations = 0;    ///< that were run
  double objective = 0;  ///< of the result
  double gap = 0;        ///< how far it can be from the optimum at most, as a share of the objective
  std::vector<double>
      history;  ///< the objective after every sixteen iterations or fewer, channel by channel where they are apart
};

/// Total variation denoising (Rudin, Osher and Fatemi, 1992): the picture u that minimizes sum |grad u| + 1 / (2
/// weight) * sum (u - in)^2, with forward differences and the Euclidean length of the gradient. `together`: the length
/// is taken over all color channels, so that their edges stay in one place; else each channel by itself. Solved by the
/// accelerated primal-dual method (Chambolle and Pock, "A first-order primal-dual algorithm for convex problems", 2011,
/// algorithm 2) with the longer steps of He, Ma, Xu and Yuan (2022) as long as the gap falls, until the gap between
/// primal and dual objective is below `tolerance` of the objective. Tells iterations, objective and gap in a note.
/// `weight` auto: 0.4 to 2.4 times the estimated noise deviation, what has the least estimated error in parts of the
/// picture (Stein's estimate, see docs/guide/denoise.md). NaN and infinities count as 0 while others are computed, and
/// stay. O(samples * iterations).
struct TotalVariation {
  std::optional<float> weight = {};  ///< strength on the 0..1 scale, above 0 to 100; auto: of the least estimated error
  Real tolerance = 0.001F;           ///< largest share by which the objective may miss the optimum, 1e-6 to 1
  int iterations = 300;              ///< at most, 1 to 100000
  bool together = true;              ///< color channels share their edges

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  /// The same, with an account of how it was reached.
  void solve(const ConstView& in, const View& out, TotalVariationReport& report) const;
  static void describe(Description<TotalVariation>& d);
};

/// sum |grad u| + 1 / (2 weight) sum (u - f)^2, over all color channels together or each by itself.
[[nodiscard]] double total_variation_objective(const ConstView& u, const ConstView& f, double weight, bool together);

}  // namespace sieve
