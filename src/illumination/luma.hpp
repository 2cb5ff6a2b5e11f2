#pragma once
// Work on the lightness of a whole picture, carried over to color.

#include <algorithm>

#include "core/luma.hpp"
#include "tone/tone_map.hpp"

namespace sieve::internal {

// Puts a changed lightness in: the gray channel itself, or as the luma of every color with its hue kept. What is not
// finite in the input stays.
inline void put_luma(const ConstView& in, const Image& changed, const View& out) {
  map_tones(in, out, ColorBy::luma, [&](int, int y, const float* from, float* to, std::size_t n) {
    const float* row = changed.row(y);
    for (std::size_t x = 0; x < n; ++x) to[x] = from[x] - from[x] == 0 ? row[x] : from[x];
  });
}

}  // namespace sieve::internal
