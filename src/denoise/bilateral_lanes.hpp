#pragma once
// Inner loop of the bilateral filter, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// For every sample v of a row: sum and weight over the taps, each a row of neighbors with its spatial weight as log;
// the weight of a tap is exp(log - (neighbor - v)^2 * falloff), to 1e-4 of itself.
struct Taps {
  const float* const* rows;
  const float* logs;
  std::size_t count;
  float falloff;
};
void bilateral_row(const float* center, const Taps& taps, float* out, std::size_t n);

}  // namespace sieve::internal::lanes
