#pragma once
// Inner loops of non-local means, on SIMD lanes chosen at run time. All buffers have room for 32 samples more than are
// asked for, which are read and written.

#include <cstddef>

namespace sieve::internal::lanes {

// Differences of a picture and the same picture elsewhere, for patches of `window` rows and columns (odd, up to
// kMostPatch).
inline constexpr int kMostPatch = 41;
struct PatchRows {
  const float *a[3], *b[3];  // the first sample of each channel
  std::ptrdiff_t stride;
  int channels, window;
};
// columns[y * stride + x] = sum over i in 0..window - 1 and the channels of (a - b)^2 at (x, y + i), for rows y =
// 0..rows - 1. No running sum: that would carry the rounding of a large difference along.
void patch_columns(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n);

// weights[x] = exp(-max(0, s * scale - floor)) with s the sum of columns[x..x + window - 1], to 1e-5 of itself and at
// least 1e-27.
void patch_weights(const float* columns, int window, float scale, float floor, float* weights, std::size_t n);

// Where the weighted mean of a row's pixels is gathered: sums of the channels, of the weights, and the largest weight.
struct Means {
  float* sum[3];
  float *weight, *most;
};

// `count` samples of each channel and their weights, the next `sample_step` and `weight_step` farther.
struct Weighted {
  const float* samples[3];
  const float* weights;
  std::ptrdiff_t sample_step, weight_step;
  int count, channels;
};

// Adds for every x the weighted samples, and their weights, to the means.
void gather_means(const Weighted& from, const Means& to, std::size_t n);

}  // namespace sieve::internal::lanes
