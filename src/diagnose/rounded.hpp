#pragma once
// Measures as parameters: no more digits than they are worth, so that a chain can be read.

#include <cmath>

namespace sieve::internal {

inline double rounded(double value, int decimals) {
  const double scale = std::pow(10.0, decimals);
  return std::round(value * scale) / scale;
}

}  // namespace sieve::internal
