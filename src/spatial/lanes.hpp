#pragma once
// The inner loops of the spatial filters, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// out[x] = sum over t of weights[t] * sources[t][x], x in 0..n-1. Sources need no slack behind their end.
// With `stream` the stores bypass the cache where `out` is aligned.
void weighted_sum(const float* const* sources, const float* weights, std::size_t taps, float* out, std::size_t n,
                  bool stream);

// out[x] = sum over t of weights[t] * row[x + t]: weighted_sum() along one row, with fewer loads.
void along_row(const float* row, const float* weights, std::size_t taps, float* out, std::size_t n);

// A dense kernel of kw by kh taps (row by row) on several result rows at once, so that a sample that is loaded serves
// all of them: out[r][x] = sum over j, i of taps[j * kw + i] * rows[r + j][x + i] for r in 0..count-1, x in 0..n-1.
// `rows` holds count + kh - 1 pointers; count is 1 to kBlockRows.
inline constexpr std::size_t kBlockRows = 4;
void block_sum(const float* const* rows, const float* taps, std::size_t kw, std::size_t kh, float* const* out,
               std::size_t count, std::size_t n, bool stream);

// sum over i of a[i] * b[i].
float dot(const float* a, const float* b, std::size_t n);

// sums[x] += enter[x] - leave[x]; out[x] = sums[x] * scale. Returns false where an entering sample is not finite.
bool slide(double* sums, const float* enter, const float* leave, double scale, float* out, std::size_t n);

// sums[x] += row[x] * times. Returns false where a sample is not finite.
bool accumulate(double* sums, const float* row, double times, std::size_t n);

// sums[x] += row[x]; out[x] = (sums[x] + before[x]) * scale, without `before` sums[x] * scale. Returns false where one
// of them is not finite.
bool add_window_row(double* sums, const float* row, const float* before, double scale, float* out, std::size_t n);

// sums[x] += row[x]; row[x] = sums[x].
void add_into_row(double* sums, float* row, std::size_t n);

// a[x] * b[x].
void multiply(const float* a, const float* b, float* out, std::size_t n);

// out[x] = sum of row[x..x+k-1] for x in 0..n-1, of sums of 1, 2, 4, ... samples put together, so that a NaN stays
// where it is and the bits do not depend on where the row begins. `row` holds n + k - 1 samples, has room for kSlack
// more that are finite, and is spoiled; `out` has room for kSlack more.
inline constexpr std::size_t kSlack = 64;
void window_sums(float* row, std::size_t n, std::size_t k, float* out);
// The same by a window that runs along in double: for k of 16 and more, of finite samples. Writes no more than n; with
// `stream` past the cache where the alignment allows it.
void running_sums(float* row, std::size_t n, std::size_t k, float* out, bool stream);

// out[x] = sqrt(gx[x]^2 + gy[x]^2).
void magnitude(const float* gx, const float* gy, float* out, std::size_t n);

// out[x] = atan2(gy[x], gx[x]), within 4e-7 radians.
void direction(const float* gx, const float* gy, float* out, std::size_t n);

}  // namespace sieve::internal::lanes
