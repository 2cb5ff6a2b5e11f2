#pragma once
// Inner loops of the fast bilateral filter, on SIMD lanes chosen at run time. A grid holds for every cell and level two
// floats: a weight and a sum.

#include <cstddef>
#include <cstdint>

namespace sieve::internal::lanes {

// Levels `low` + i / `per_step` for i in 0..count - 1; sums are of differences from `middle`.
struct LevelScale {
  float low, per_step, middle;
  std::int32_t count;
};

// For every sample of a row the index of its lower level, 2 floats each, from `cells[x]` on, and its share of the upper
// one, 0..1; `nowhere` and 0 where the sample is not finite. All buffers have room for 16 more.
void find_levels(const float* row, const LevelScale& scale, const std::int32_t* cells, std::int32_t nowhere,
                 std::int32_t* index, float* share, std::size_t n);

// grid[index[x]...] += (1 - share), (1 - share) (v - middle), share, share (v - middle). `parts` has room for 4 n + 64
// floats.
void add_samples(const float* row, const LevelScale& scale, const std::int32_t* index, const float* share, float* parts,
                 float* grid, std::size_t n);

// Every cell of `in` (in_pitch floats apart, at least 2 radius zeros before and between) blurred along its levels into
// one of `out` (out_pitch apart, multiples of 16): taps[0..2 radius], one for each level.
void blur_levels(const float* in, std::size_t in_pitch, const float* taps, int radius, float* out,
                 std::size_t out_pitch, std::size_t cells);

// out[x] = middle + sum / weight, both between the cells at index[x] and `pitch` later by `across`, and between a level
// and the next by `share`; row[x] itself where that is not finite. `pairs` has room for 2 n + 64 floats.
void read_levels(const float* row, const LevelScale& scale, const float* grid, std::size_t pitch,
                 const std::int32_t* index, const float* across, const float* share, float* pairs, float* out,
                 std::size_t n);

}  // namespace sieve::internal::lanes
