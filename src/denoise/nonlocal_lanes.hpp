#pragma once
// Inner loops of non-local means, on SIMD lanes chosen at run time. All buffers have room for 16 samples more than are
// asked for, which are read and written.

#include <cstddef>

namespace sieve::lanes {

// sum += sign * sum over the channels of (a - b)^2.
void add_differences(const float* const* a, const float* const* b, int channels, float sign, float* sum, std::size_t n);

// w[x] = exp(-max(0, (sums[x] + ... + sums[x + window - 1]) * scale - floor)), to 1e-4 of itself.
void patch_weights(const float* sums, int window, float scale, float floor, float* w, std::size_t n);

// Adds w f and w for both weights of a pixel, and keeps the largest weight: w with `ahead`, v with `behind`.
struct WeightedRows {
  const float *w, *v;
  const float *ahead[3], *behind[3];
  float* sum[3];
  float *weight, *most;
};
void add_weighted(const WeightedRows& rows, int channels, std::size_t n);

}  // namespace sieve::lanes
