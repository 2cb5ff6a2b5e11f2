#pragma once
// Inner loops of non-local means, on SIMD lanes chosen at run time. All buffers have room for 16 samples more than are
// asked for, which are read and written.

#include <cstddef>

namespace sieve::lanes {

// Differences of a picture and the same picture elsewhere, for patches of `window` rows and columns (odd, up to kMostPatch).
inline constexpr int kMostPatch = 41;
struct PatchRows {
  const float *a[3], *b[3];  // the first sample of each channel
  std::ptrdiff_t stride;
  int channels, window;
};
// columns[y * stride + x] = sum over i in 0..window - 1 and the channels of (a - b)^2 at (x, y + i), for rows y = 0..rows - 1.
// Every sum is made anew: a running one would carry the rounding of a large difference along.
void patch_columns(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n);

// With s the sum of columns[x..x + window - 1], w[x] = exp(-max(0, s * scale - floor)), to 1e-4 of itself.
void patch_weights(const float* columns, int window, float scale, float floor, float* w, std::size_t n);

// Adds w f and w for both weights of a pixel, and keeps the largest weight: w with `ahead`, v with `behind`.
struct WeightedRows {
  const float *w, *v;
  const float *ahead[3], *behind[3];
  float* sum[3];
  float *weight, *most;
};
void add_weighted(const WeightedRows& rows, int channels, std::size_t n);

}  // namespace sieve::lanes
