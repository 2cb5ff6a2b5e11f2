#pragma once
// Inner loops of CLAHE, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// a + share * (b - a).
void mix_maps(const float* a, const float* b, float share, float* out, std::size_t n);

// Two maps of bins + 1 values, straight between them, laid out for one load a sample: of every bin the value at its
// start and the rise over it, of the left map, then of the right less the left one.
void lay_out(const float* left, const float* right, float* pieces, std::size_t bins);

// Every sample gets the mean of the two maps by its share of the right one.
struct TwoMaps {
  const float* pieces;
  float bins;
  float strength;
};
void apply_maps(const TwoMaps& maps, const float* in, const float* shares, float* out, std::size_t n);

}  // namespace sieve::internal::lanes
