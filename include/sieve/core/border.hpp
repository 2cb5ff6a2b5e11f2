#pragma once
/// What a filter sees beyond the edge of the picture.

#include <optional>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// The sample that stands for a position outside the picture. With samples a b c d in a row:
enum class Border {
  edge,      ///< a a | a b c d | d d : repeat the edge sample. The default: no dark frame.
  mirror,    ///< b a | a b c d | d c : mirror, the edge sample is repeated.
  reflect,   ///< c b | a b c d | c b : mirror, the edge sample is not repeated.
  wrap,      ///< c d | a b c d | a b : the picture is one tile of an endless pattern.
  zero,      ///< 0 0 | a b c d | 0 0 : darkens a frame; right for textbook sums.
  constant,  ///< f f | a b c d | f f : a value of the caller's (`fill`).
  taper,     ///< goes on as the PSF can have blurred it and repeats itself without a jump: for restorations.
  inside,    ///< no position outside is used: the result keeps only the places where the window fits.
  full,      ///< zero beyond, and the result grows to all places where the window touches the picture.
};

/// Where position `i` of a row of `n` samples (n at least 1) is taken from: an index in 0..n-1, or nothing
/// where the border is a fixed value or none (zero, constant, taper, inside, full). Any distance from the picture is
/// allowed. O(1).
[[nodiscard]] std::optional<int> border_index(int i, int n, Border border);

}  // namespace sieve
