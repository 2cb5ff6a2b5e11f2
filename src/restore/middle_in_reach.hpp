#pragma once
// The part of a picture that a PSF is looked for in.

#include <algorithm>
#include <cmath>

#include "core/luma.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve::internal {

// finite_middle(), for measures that a factor does not change: brought to 1 where powers of its samples would leave
// single precision.
inline Image middle_in_reach(const ConstView& in, int most) {
  constexpr double kFar = 1e6;
  Image middle = finite_middle(in, most);
  const SampleRange range = sample_range(middle);
  const double largest = std::max(std::abs(range.minimum), std::abs(range.maximum));
  if (largest > kFar || (largest > 0 && largest < 1 / kFar))
    map_samples(middle.view(), middle.view(), [by = static_cast<float>(largest)](float v) { return v / by; });
  return middle;
}

}  // namespace sieve::internal
