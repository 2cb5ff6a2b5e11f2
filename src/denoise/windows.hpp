#pragma once
// Local means and variances, shared by the filters that go by them.

#include "sieve/core/image.hpp"

namespace sieve::internal {

// Mean and variance (at least 0) of the square windows of one channel, beyond the picture as the border says.
struct LocalStatistics {
  Image mean, variance;
};
LocalStatistics local_statistics(const ConstView& channel, int radius, Border border);

}  // namespace sieve::internal
