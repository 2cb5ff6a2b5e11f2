#pragma once
// Minima and maxima of square windows.

#include <span>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/footprint.hpp"

namespace sieve::internal {

// One channel: the extreme of (2 radius + 1) by (2 radius + 1) windows, for each entry of `maxima` in turn (false:
// minimum). One memory pass along the rows for the first and the last, one along the columns for all.
void extremes(const ConstView& in, int radius, std::span<const bool> maxima, Border border, float fill,
              const View& out);

// One channel: the extreme of any window, a row of it at a time.
void extremes_of(const ConstView& in, std::span<const WindowOffset> window, bool maximum, Border border, float fill,
                 const View& out);

}  // namespace sieve::internal
