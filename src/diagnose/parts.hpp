#pragma once
// The parts of a picture by which it is judged.

#include "sieve/core/image.hpp"

namespace sieve::internal {

// A picture, or sixteen parts of a large one side by side: what is local is judged by them. The parts begin at whole
// blocks of 8.
Image sampled(const ConstView& in);

// The middle of a picture, up to `width` by `height`.
ConstView middle(const ConstView& in, int width, int height);

// How much of the middle is looked at for what needs a picture in one piece.
inline constexpr int kMiddleSide = 1024;

}  // namespace sieve::internal
