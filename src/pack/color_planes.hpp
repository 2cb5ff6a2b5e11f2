#pragma once
// The color channels turned so that one plane holds most of the picture: the principal axes of its colors.

#include <array>
#include <cstdint>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::pack_detail {

// Rows of the turn in 1/16384, and the mean of each channel in 1/65536 of white.
struct ColorTurn {
  std::array<std::int16_t, 9> rows{};
  std::array<std::int32_t, 4> means{};
};

struct ColorPlanes {
  ColorTurn turn;
  std::vector<Image> planes;  // alpha, where there is one, is the last
};

// The planes of a picture, each continued by its edge samples to the size given.
ColorPlanes split_colors(const ConstView& in, int width, int height);
// Back, of the picture's size; the planes may be larger.
void join_colors(const ColorTurn& turn, const std::vector<Image>& planes, const View& out);

}  // namespace sieve::pack_detail
