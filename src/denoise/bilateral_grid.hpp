#pragma once
// The fast bilateral filter: on a grid of cells and levels, at a cost that hardly depends on sigma or range.

#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// One channel whose finite samples lie in low..high, low < high. Samples are shared out among the cells and levels next
// to them, weight and sum are blurred in all three directions, and every sample takes its mean between the nearest.
void bilateral_on_grid(const ConstView& in, float sigma, float range, float low, float high, Border border,
                       const View& out);

}  // namespace sieve::internal
