#pragma once
// Work on the lightness of a whole picture, carried over to color.

#include <algorithm>

#include "sieve/core/channels.hpp"
#include "tone/tone_map.hpp"

namespace sieve {

// The gray channel, or the luma of a color picture.
inline Image lightness(const ConstView& in) { return in.shape.color_channels() == 1 ? Image(in.channel(0)) : Image(to_gray(in).view().channel(0)); }

// Puts a changed lightness in: the gray channel itself, or as the luma of every color with its hue kept. Where the input
// is no number the result is none.
inline void put_lightness(const ConstView& in, const Image& changed, const View& out) {
  map_tones(in, out, ColorBy::luma, [&](int, int y, const float* from, float* to, std::size_t n) {
    const float* row = changed.row(y);
    for (std::size_t x = 0; x < n; ++x) to[x] = from[x] == from[x] ? row[x] : from[x];
  });
}

}  // namespace sieve
