#pragma once
// Inner loops of the point operations, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// The arithmetic of one of these, in times of copying the samples: see Description::maps_samples.
constexpr double kCheap = 0.15;

void clip(const float* in, float low, float high, float* out, std::size_t n);
// to + (in - base) * slope; a slope of 0 gives `to` for every finite sample.
void line(const float* in, float base, float slope, float to, float* out, std::size_t n);
void absolute(const float* in, float* out, std::size_t n);
// 1 where in > level, else 0; where in > levels[x] - offset in the second form. NaN stays.
void above(const float* in, float level, float* out, std::size_t n, bool stream);
void above_each(const float* in, const float* levels, float offset, float* out, std::size_t n);
// Smallest and largest finite sample; +infinity and -infinity where there is none.
void finite_range(const float* in, std::size_t n, float& low, float& high);

}  // namespace sieve::internal::lanes
