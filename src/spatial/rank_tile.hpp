#pragma once
#include <cstdint>
#include <span>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/footprint.hpp"

namespace sieve::internal {

// The sample of the given rank (0 the smallest) of the square window of each pixel of one channel; NaN counts as
// +infinity. Exact on any float data. Works on tiles: all samples of a tile and its surroundings are sorted once into
// 256 groups of equal size; counts of each group in every column of the window's height slide down, their sum slides
// along (as in Perreault and Hebert, "Median filtering in constant time", 2007), which gives the group of the wanted
// sample; that group's few samples, in rising order, are then searched for the one in the window. O(pixels) whatever
// the radius, as long as tiles are larger than windows. Radius 1 to 127.
void rank_square(const ConstView& in, int radius, std::uint32_t rank, Border border, float fill, const View& out);

// The same for any window. The counts of the groups slide along by the ends of the window's runs. O(pixels * rows).
void rank_any(const ConstView& in, std::span<const WindowOffset> window, std::uint32_t rank, Border border, float fill,
              const View& out);

// Medians of 3x3, 5x5 and 7x7 windows through selection networks.
void median_small(const ConstView& in, int radius, Border border, float fill, const View& out);

}  // namespace sieve::internal
