#pragma once
// Inner loops of non-local means, on SIMD lanes chosen at run time. All buffers have room for 16 samples more than are
// asked for, which are read and written.

#include <cstddef>

namespace sieve::lanes {

// out = sum over the channels of (a - b)^2.
void differences(const float* const* a, const float* const* b, int channels, float* out, std::size_t n);

// The weights of patches of `window` rows and columns: with s the sum of rows[0..window - 1][x..x + window - 1], w[x] =
// exp(-max(0, s * scale - floor)), to 1e-4 of itself. Every sum is made anew: a running one would carry the rounding of a
// large difference along. `columns` holds n + window samples.
void patch_weights(const float* const* rows, int window, float scale, float floor, float* columns, float* w, std::size_t n);

// Adds w f and w for both weights of a pixel, and keeps the largest weight: w with `ahead`, v with `behind`.
struct WeightedRows {
  const float *w, *v;
  const float *ahead[3], *behind[3];
  float* sum[3];
  float *weight, *most;
};
void add_weighted(const WeightedRows& rows, int channels, std::size_t n);

}  // namespace sieve::lanes
