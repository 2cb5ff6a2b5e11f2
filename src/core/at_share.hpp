#pragma once
// Values by their order.

#include <algorithm>
#include <cstddef>
#include <vector>

namespace sieve::internal {

// The value below which that share of a list lies (0.5: the median). The list is not empty; its order is spoiled.
template <class T>
T at_share(std::vector<T>& values, double share) {
  const auto at = values.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(values.size()));
  std::nth_element(values.begin(), at, values.end());
  return *at;
}

}  // namespace sieve::internal
