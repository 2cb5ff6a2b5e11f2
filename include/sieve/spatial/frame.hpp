#pragma once
/// The frame of a picture: crop, pad, and shrink by area averaging.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// A rectangle of the picture, alpha with it. InvalidArgument where it is not inside. Width or height 0 means up to the
/// right or lower edge. O(pixels of the result).
struct Crop {
  int x = 0;       ///< first column kept, from 0 at the left
  int y = 0;       ///< first row kept, from 0 at the top
  int width = 0;   ///< columns kept; 0: all up to the right edge
  int height = 0;  ///< rows kept; 0: all up to the lower edge

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Crop>& d);
};

/// Adds pixels around the picture, filled as the border says; alpha is repeated from the edge. O(pixels).
struct Pad {
  int left = 0;                  ///< columns added at the left, up to 100000
  int right = 0;                 ///< columns added at the right
  int top = 0;                   ///< rows added above
  int bottom = 0;                ///< rows added below
  Border border = Border::edge;  ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                 ///< the sample used with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Pad>& d);
};

/// Smaller by `factor`, every result the mean of the area it covers, with fractions of pixels weighted: no
/// aliasing from skipped pixels, and the mean of the picture is kept. The result has round(n / factor) pixels to a
/// side, at least 1. Alpha is averaged as well. O(pixels of the source).
struct Shrink {
  Real factor = 2;  ///< 1 or more: how many source pixels make one

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Shrink>& d);
};

/// Area averaging to a given size, each side at most the source's. InvalidArgument for a larger one. O(source pixels).
[[nodiscard]] Image shrink_to(const ConstView& in, int width, int height);

}  // namespace sieve
