#pragma once
// Inner loops of minima and maxima, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// out[x] = extreme of in[x..x + window - 1]; `in` holds n + window - 1 samples and is spoiled. NaN is +infinity.
void row_extremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n);

// out[i][x] = extreme of in[i..i + window - 1][x] for i < n and x < width; `in` points to n + window - 1 rows.
// `scratch` holds window * width samples.
void column_extremes(const float* const* in, std::size_t window, bool maximum, float* const* out, std::size_t n,
                     std::size_t width, float* scratch);

}  // namespace sieve::internal::lanes
