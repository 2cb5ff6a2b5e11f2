#pragma once
// From wavelet coefficients to whole numbers and back, on SIMD lanes chosen at run time.

#include <cstddef>
#include <cstdint>

namespace sieve::internal::lanes {

// A part of a row of a band of details, with the rows beside it: none beyond the band. `left`, `right`: whether the
// band goes on there.
struct DetailRow {
  const float *above, *row, *below;
  bool left, right;
};
// In steps: `per` is 1 / step; magnitudes in the low bits, the highest where the value is below 0. Near a half a value
// is cut down to 0 the rather, the less there is around it: a lone one takes many bits and mends little.
void quantize_details(const DetailRow& in, float per, std::uint32_t* out, std::size_t n);
// The same for the approximation, where values are alike.
void quantize_approximation(const float* row, float per, std::uint32_t* out, std::size_t n);
// No magnitude is quantized to more than this one makes of the largest.
std::uint32_t quantized(float magnitude, float per);

// The values back; left[x / 8] bits of each are not known.
void restore_values(const std::uint32_t* values, const std::uint8_t* left, float step, float* out, std::size_t n);

}  // namespace sieve::internal::lanes
