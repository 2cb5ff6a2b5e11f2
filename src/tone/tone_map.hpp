#pragma once
// A map of levels carried over to color, as ColorBy says.

#include <vector>

#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/tone/equalize.hpp"
#include "tone/level_lanes.hpp"

namespace sieve::internal {

// The number of maps that a picture needs: one for gray or by luma, else one a channel.
inline int maps_needed(const Shape& shape, ColorBy color) {
  return color == ColorBy::luma ? 1 : shape.color_channels();
}

// The channel that map i is measured on.
inline int measured_channel(const Shape& shape, ColorBy color, int i) {
  return color == ColorBy::luma && shape.color_channels() == 3 ? luma_channel : i;
}

// change(map, y, from, to, n) for every row of every map; alpha is copied.
template <class Change>
void map_tones(const ConstView& in, const View& out, ColorBy color, Change change) {
  const auto n = static_cast<std::size_t>(in.width());
  const bool stream = rows::streams(out.shape.samples());
  if (color == ColorBy::channels || in.shape.color_channels() == 1) {
    parallel_rows(in.height() * in.shape.color_channels(), n, [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        const int y = i % in.height(), c = i / in.height();
        change(c, y, in.row(y, c), out.row(y, c), n);
      }
    });
  } else {
    parallel_rows(in.height(), 3 * n, [&](int first, int last) {
      std::vector<float> both(2 * n);
      float *before = both.data(), *after = before + n;
      for (int y = first; y < last; ++y) {
        lanes::luma(in.row(y, 0), in.row(y, 1), in.row(y, 2), before, n);
        change(0, y, before, after, n);
        lanes::relight({in.row(y, 0), in.row(y, 1), in.row(y, 2)}, before, after,
                       {out.row(y, 0), out.row(y, 1), out.row(y, 2)}, n, stream);
      }
    });
  }
  copy_alpha(in, out);
}

}  // namespace sieve::internal
