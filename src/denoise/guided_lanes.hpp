#pragma once
// The inner loops of the guided filter, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// Means over a window of guide g, its squares gg, the picture p and the product gp: slope and offset of the line from
// guide to picture that fits best there, flatter for variances near `eps` and below.
struct LineMeans {
  const float *g, *gg, *p, *gp;
};
void fit_lines(const LineMeans& m, float eps, float* slope, float* offset, std::size_t n);

// out[x] = slope[x] * g[x] + offset[x].
void follow_lines(const float* slope, const float* offset, const float* g, float* out, std::size_t n);

}  // namespace sieve::internal::lanes
