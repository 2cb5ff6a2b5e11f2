#pragma once
// Medians of small squares through networks, and rank filters on tiles, on SIMD lanes chosen at run time.

#include <cstddef>
#include <cstdint>

namespace sieve::internal::lanes {

// The median of 3x3, 5x5 or 7x7 windows (`side`): rows[0..side-1] are the window's rows, each of n + side - 1 samples
// without NaN and with room for kMedianRoom more that can be read; out has n and as much room. `scratch` holds 2 * side
// * (n + side + 6 * kMedianRoom).
constexpr std::size_t kMedianRoom = 64;
void small_median(const float* const* rows, int side, float* out, std::size_t n, float* scratch);

void replace_nan(float* samples, std::size_t n);

// Samples of a tile are sorted into groups of equal size; counts are kept of each group and of parts of 16 groups.
constexpr std::size_t kGroups = 256, kParts = 16, kSlots = 288;

// One row of a rank filter over a tile of ranked samples; see spatial/rank_tile.cpp.
struct RankRow {
  const std::uint16_t* columns;  // kSlots counts for each column of the tile: its samples in the window's rows
  const std::uint32_t* starts;   // 257: where each group begins in the lists below
  const std::uint16_t *x, *y;    // places in the tile, in rising order of their samples
  const float* values;           // the samples themselves, rising
  int side;                      // of the square window
  int top;                       // first row of the window in the tile
  std::uint32_t rank;            // which sample of the window, from 0
};
void rank_row(const RankRow& r, float* out, std::size_t n);

}  // namespace sieve::internal::lanes
