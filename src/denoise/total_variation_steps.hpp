#pragma once
// The lengths of the steps of total variation denoising, and how many of them to make before looking at the gap.

#include <algorithm>
#include <cmath>

namespace sieve::internal {

// The most iterations that a tile runs by itself before it takes over its neighbors' results. Each iteration looks one
// pixel farther, so a tile is read with a rim as wide as this.
constexpr int kTurns = 16;

struct TvStep {
  float dual, share, momentum;
};

// The steps of the accelerated method: the primal ones become shorter, the dual ones longer.
class TvSteps {
 public:
  explicit TvSteps(double weight) : weight_(weight), primal_(weight) {}
  TvStep next() {
    const double dual = product_ / (8 * primal_), share = primal_ / (weight_ + primal_),
                 momentum = 1 / std::sqrt(1 + 1.4 * primal_ / weight_);
    primal_ *= momentum;
    return {static_cast<float>(dual), static_cast<float>(share), static_cast<float>(momentum)};
  }
  // The product of the step lengths, as a multiple of the bound 1 / L^2. At up to 1 the method is proven to converge;
  // He, Ma, Xu and Yuan (2022) show it for up to 4/3 where the gap falls, and there it needs half the iterations. The
  // gap is watched, and the steps go back to 1 where it rises.
  void be_careful() { product_ = 1; }

 private:
  double weight_, primal_, product_ = 1.3;
};

// How many iterations to go on before the gap is looked at again: it falls as the square of their number.
inline int turns_ahead(int done, double gap, double tolerance) {
  if (done == 0 || gap <= 0) return kTurns;
  const double missing = done * (1.05 * std::sqrt(gap / tolerance) - 1), sweeps = std::ceil(missing / kTurns);
  return std::clamp(static_cast<int>(std::ceil(missing / std::max(1.0, sweeps))), 4, kTurns);
}

}  // namespace sieve::internal
