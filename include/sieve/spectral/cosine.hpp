#pragma once
/// The cosine transform.

#include <optional>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/stage.hpp"

namespace SIEVE_EXPORT sieve {

/// Orthonormal cosine transform (type II) of every color channel: of the whole picture with `block` 0, or of blocks of
/// `block` x `block` samples (1 to 4096), smaller ones where the right and lower border cut them. The coefficient of u
/// half periods over the width and v over the height of a block stands at (u, v) of the block; at (0, 0) the mean times
/// the square root of the number of samples. The sum of squares is kept. Alpha is copied. One sample that is not finite
/// is in every coefficient of its block. Source: Ahmed, Natarajan and Rao, "Discrete cosine transform", 1974. Whole:
/// O(pixels log pixels) for any size; blocks of 8: a few operations a sample; other blocks: O(pixels * block).
[[nodiscard]] Image cosine_forward(const ConstView& in, int block = 0);
/// The same into a buffer of the picture's shape.
void cosine_forward(const ConstView& in, int block, const View& out);
/// The picture back (type III).
[[nodiscard]] Image cosine_inverse(const ConstView& coefficients, int block = 0);
/// The same into a buffer of the picture's shape.
void cosine_inverse(const ConstView& coefficients, int block, const View& out);

/// log(1 + |c| * 255) over its largest value: a picture of coefficients, 0..1.
[[nodiscard]] Image coefficient_image(const ConstView& coefficients);

/// Keeps k x k coefficients of the cosine transform of every block (or of the whole picture) and drops the rest.
/// Channels each by themselves. Not finite samples count as 0 and stay.
struct CosineTruncation {
  /// Which ones are kept.
  enum class Which {
    corner,   ///< the k slowest of each direction
    largest,  ///< the k x k largest, wherever they are; the first of equals
  };
  int side = 64;                 ///< k, 1 to 65535; more than there are keeps all
  Which which = Which::largest;  ///< the slowest, or the largest
  int block = 0;                 ///< samples a side, 0: the whole picture; up to 4096

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<CosineTruncation>& d);
};
template <>
struct ChoiceNames<CosineTruncation::Which> {
  static std::span<const std::pair<const char*, CosineTruncation::Which>> all();
};

}  // namespace sieve
