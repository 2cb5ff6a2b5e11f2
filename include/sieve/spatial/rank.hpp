#pragma once
/// Filters that sort a window. NaN counts as plus infinity, so that every window has an order; results never leave the
/// range of the window. Alpha passes through.

#include <string>

#include "sieve/core/describe.hpp"

namespace sieve {

/// The smallest sample of the (2 radius + 1) by (2 radius + 1) window: erosion of what is bright. Along the columns by the
/// running minima of blocks, along the rows by windows of doubling width. O(pixels * log radius), hardly grows with the
/// radius. Sources: van Herk, Pattern Recognition Letters 13, 1992; Gil and Werman, IEEE Trans. PAMI 15, 1993.
struct Minimum {
  int radius = 1;                ///< half-width of the window in pixels, 0 to 2047
  Border border = Border::edge;  ///< what lies beyond the picture, not inside
  float fill = 0;                ///< the sample beyond the picture with Border::constant

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  int reach() const { return radius; }
  std::string meaning() const;
  static void describe(Description<Minimum>& d);
};

/// The largest sample of the window: dilation of what is bright. As Minimum.
struct Maximum {
  int radius = 1;                ///< half-width of the window in pixels, 0 to 2047
  Border border = Border::edge;  ///< what lies beyond the picture, not inside
  float fill = 0;                ///< the sample beyond the picture with Border::constant

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  int reach() const { return radius; }
  std::string meaning() const;
  static void describe(Description<Maximum>& d);
};

/// Minimum, then maximum: bright objects narrower than the window vanish, the rest keeps its outline. The border repeats
/// the edge. Source: Serra, Image Analysis and Mathematical Morphology, 1982. O(pixels * log radius).
struct Opening {
  int radius = 5;  ///< half-width of the square window in pixels, 0 to 2047

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  int reach() const { return 2 * radius; }
  std::string meaning() const;
  static void describe(Description<Opening>& d);
};

/// Maximum, then minimum: dark objects narrower than the window vanish. As Opening.
struct Closing {
  int radius = 5;  ///< half-width of the square window in pixels, 0 to 2047

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  int reach() const { return 2 * radius; }
  std::string meaning() const;
  static void describe(Description<Closing>& d);
};

/// The middle sample of the (2 radius + 1) by (2 radius + 1) window in sorted order: impulses vanish, edges stay. Exact on
/// any float data. Source: Tukey, Exploratory Data Analysis, 1977.
struct Median {
  int radius = 1;                ///< half-width of the window in pixels, 0 to 127
  Border border = Border::edge;  ///< what lies beyond the picture, not inside
  float fill = 0;                ///< the sample beyond the picture with Border::constant

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  int reach() const { return radius; }
  std::string meaning() const;
  static void describe(Description<Median>& d);
};

}  // namespace sieve
