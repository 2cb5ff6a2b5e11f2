#pragma once
/// Filters that sort a window.

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/spatial/footprint.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

// What they have in common. The window: `radius` is its half-width in pixels, fractional for a disk alone; `shape` its
// form; a `footprint` stands instead of both. `border` and `fill` say what lies beyond the picture (any border that
// keeps the size; `fill` with Border::constant). NaN counts as plus infinity, so that every window has an order. Each
// color channel by itself, alpha passes through.

/// The smallest sample of the window: erosion of what is bright. Squares along the columns by the running minima of
/// blocks, along the rows by windows of doubling width: O(pixels * log radius), hardly grows with the radius; other
/// windows row by row of the window. Sources: van Herk, Pattern Recognition Letters 13, 1992; Gil and Werman, IEEE
/// Trans. PAMI 15, 1993.
struct Minimum {
  Real radius = 1;                          ///< 0 to 2047
  WindowShape shape = WindowShape::square;  ///< of the window
  Footprint footprint = {};                 ///< a window of one's own, in place of radius and shape
  Border border = Border::edge;             ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                            ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Minimum>& d);
};

/// The largest sample of the window: dilation of what is bright. As Minimum.
struct Maximum {
  Real radius = 1;                          ///< 0 to 2047
  WindowShape shape = WindowShape::square;  ///< of the window
  Footprint footprint = {};                 ///< a window of one's own, in place of radius and shape
  Border border = Border::edge;             ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                            ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Maximum>& d);
};

/// Half of the sum of smallest and largest sample: the best guess for noise of even distribution.
struct Midpoint {
  Real radius = 1;                          ///< 0 to 2047
  WindowShape shape = WindowShape::square;  ///< of the window
  Footprint footprint = {};                 ///< a window of one's own, in place of radius and shape
  Border border = Border::edge;             ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                            ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Midpoint>& d);
};

/// The middle sample of the window in sorted order (the lower of two middle ones): impulses vanish, edges stay. Exact
/// on any float data. Squares of radius 1 to 3 by selection networks, larger ones at a cost that hardly grows with the
/// radius: the tile's samples are sorted once into groups, whose counts slide along. Sources: Tukey, Exploratory Data
/// Analysis, 1977; Batcher, 1968; Perreault and Hebert, "Median filtering in constant time", 2007.
struct Median {
  Real radius = 1;                          ///< 0 to 127
  WindowShape shape = WindowShape::square;  ///< of the window
  Footprint footprint = {};                 ///< a window of one's own, in place of radius and shape
  Border border = Border::edge;             ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                            ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Median>& d);
};

/// The sample below which a share of the window lies: rank floor(share * (n - 1) + 1/2) of n, so that 0 is the minimum,
/// 1 the maximum. Exact, at the cost of a large median.
struct Percentile {
  Real radius = 1;                          ///< 0 to 127
  WindowShape shape = WindowShape::square;  ///< of the window
  Footprint footprint = {};                 ///< a window of one's own, in place of radius and shape
  Real share = 0.25F;                       ///< of the window, 0..1
  Border border = Border::edge;             ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                            ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Percentile>& d);
};

/// The mean of what is left of the window without its smallest and largest samples: floor(share * n / 2) are dropped at
/// either end. 0 is the mean, near 1 the median. For grain and impulses at once. O(pixels * window).
struct AlphaTrimmedMean {
  Real radius = 1;                          ///< 0 to 31
  WindowShape shape = WindowShape::square;  ///< of the window
  Footprint footprint = {};                 ///< a window of one's own, in place of radius and shape
  Real share = 0.4F;                        ///< dropped at both ends together, 0 to 0.99
  Border border = Border::edge;             ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                            ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<AlphaTrimmedMean>& d);
};

/// The weighted median: the smallest sample of the kernel's window such that it and the smaller ones hold half of all
/// weights or more. Weights are the kernel's taps; places of weight 0 do not count. InvalidArgument for a negative
/// weight or a sum of 0. Source: Brownrigg, "The weighted median filter", Comm. ACM 27, 1984. O(pixels * taps * log
/// taps).
struct WeightedMedian {
  Kernel weights = Kernel::parse("1,2,1/2,3,2/1,2,1");  ///< whole numbers, a row of the window after the other
  Border border = Border::edge;                         ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                                        ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<WeightedMedian>& d);
};

/// The adaptive median. A pixel is an impulse if it is the smallest or largest sample of the square window of
/// half-width `radius` and lies farther than `least` from the median of a smaller one, which grows from radius 1 until
/// its median is neither its smallest nor its largest sample, or until `radius`. An impulse gives way to the median of
/// those samples around it, in the smallest window that has any, which lie between the extremes of the largest window:
/// so neighboring impulses have no say. All other pixels stay untouched. Made for impulses at the ends of the range,
/// also dense ones (a larger `radius` then tells them better from detail); impulses of any level need Median. Source:
/// Gonzalez and Woods, 4th ed., 5.3, whose filter asks the small window for both; there every ninth pixel of a fine
/// texture is the smallest by chance and is lost. O(pixels), more where impulses are dense.
struct AdaptiveMedian {
  Real radius = 5;    ///< half-width in pixels, 1 to 31, of the largest window, of which an impulse is an extreme
  Real least = 0.1F;  ///< how far an impulse lies from the median at least, 0..1 scale
  Border border = Border::edge;  ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<AdaptiveMedian>& d);
};

/// Minimum, then maximum over a square: bright objects narrower than the window vanish, the rest keeps its outline.
/// Source: Serra, Image Analysis and Mathematical Morphology, 1982. O(pixels * log radius).
struct Opening {
  Real radius = 5;               ///< half-width of the square window in pixels, 0 to 2047
  Border border = Border::edge;  ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Opening>& d);
};

/// Maximum, then minimum: dark objects narrower than the window vanish. As Opening.
struct Closing {
  Real radius = 5;               ///< half-width of the square window in pixels, 0 to 2047
  Border border = Border::edge;  ///< edge, mirror, reflect, wrap, zero or constant
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Closing>& d);
};

}  // namespace sieve
