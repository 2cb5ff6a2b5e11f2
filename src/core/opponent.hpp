#pragma once
// Light and two differences of color.

#include "sieve/core/image.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

// The rows are orthonormal: noise that is alike and independent in three channels is as strong in every plane. The
// first is the sum of the channels over the root of 3.
inline constexpr double kOpponent[3][3] = {{0.5773502691896258, 0.5773502691896258, 0.5773502691896258},
                                           {0.7071067811865476, 0, -0.7071067811865476},
                                           {0.4082482904638631, -0.8164965809277261, 0.4082482904638631}};

// The planes of three channels; turned: the channels of three planes.
inline Image opponent_colors(const ConstView& in, bool turned) {
  Image out(Shape{in.width(), in.height(), 3});
  parallel_rows(in.height(), 3 * static_cast<std::size_t>(in.width()), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int c = 0; c < 3; ++c) {
        const float* from[] = {in.row(y, 0), in.row(y, 1), in.row(y, 2)};
        const auto weight = [&](int k) { return static_cast<float>(turned ? kOpponent[k][c] : kOpponent[c][k]); };
        const float a = weight(0), b = weight(1), d = weight(2);
        float* r = out.row(y, c);
        for (int x = 0; x < in.width(); ++x) r[x] = a * from[0][x] + b * from[1][x] + d * from[2][x];
      }
    }
  });
  return out;
}

}  // namespace sieve::internal
