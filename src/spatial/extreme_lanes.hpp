#pragma once
// Inner loops of minima and maxima, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// out[x] = extreme of in[x..x + window - 1]; `in` holds n + window - 1 samples, has room for kRowSlack more, and is
// spoiled. NaN is +infinity. With `stream` past the cache where the alignment allows it.
inline constexpr std::size_t kRowSlack = 64;
void row_extremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n, bool stream);

// Rows of which those before `first` hold the same as that one, and those after `last`, too.
struct ColumnRows {
  const float* const* in;
  std::size_t first, last;
};
// out[i][x] = extreme of in[i..i + window - 1][x] for i < n and x < width; there are n + window - 1 rows. `scratch`
// holds window * width samples.
void column_extremes(const ColumnRows& rows, std::size_t window, bool maximum, float* const* out, std::size_t n,
                     std::size_t width, float* scratch);

}  // namespace sieve::internal::lanes
