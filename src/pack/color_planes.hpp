#pragma once
// The color channels turned so that one plane holds most of the picture: the principal axes of its colors.

#include <array>
#include <cstdint>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::internal::packing {

// Rows of the turn in 1/16384, and the mean of each channel in 1/65536 of white.
struct ColorTurn {
  std::array<std::int16_t, 9> rows{};
  std::array<std::int32_t, 4> means{};
};

// Means, and for three colors the axes of their covariance, the longest first. From every few samples.
ColorTurn turn_of(const ConstView& in);

// The rows of a picture from `top` on, as planes of as many rows and columns as there are in `planes`, continued by the
// edge samples.
void split_rows(const ConstView& in, const ColorTurn& turn, int top, const std::vector<View>& planes);
// Back into the rows of a picture from `top` on, as many as fit; clipped to 0..1 where asked for. The planes may be
// those rows of its channels.
void join_rows(const ColorTurn& turn, const std::vector<ConstView>& planes, int top, bool clip, const View& out);

// Whole pictures: alpha, where there is one, is the last plane.
std::vector<Image> split_colors(const ConstView& in, const ColorTurn& turn);
// In place: the channels are the planes before.
void join_colors(const ColorTurn& turn, bool clip, const View& planes);

}  // namespace sieve::internal::packing
