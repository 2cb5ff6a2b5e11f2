#pragma once
// Inner loops of CLAHE, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::lanes {

// a + share * (b - a).
void mix_maps(const float* a, const float* b, float share, float* out, std::size_t n);

// Two maps of bins + 1 values, straight between them; every sample gets their mean by its share of the second.
struct TwoMaps {
  const float *left, *right;
  float bins;
  float strength;
};
void apply_maps(const TwoMaps& maps, const float* in, const float* shares, float* out, std::size_t n);

}  // namespace sieve::lanes
