#pragma once
/// Linear smoothing: Gaussian of any sigma and box of any size, at a cost that hardly depends on either; binomial;
/// disk.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Gaussian blur, weights of sum 1. Below sigma 5 two passes with the sampled Gaussian of 2 * ceil(4 sigma) + 1 taps;
/// above that three stacked Gaussians whose variances add up to sigma squared, the middle one on a coarser grid of
/// step d (a power of two): sigma^2 = 2 (0.8 d)^2 + (d sigma_c)^2. The deviation from the true Gaussian is below
/// 2e-4 of the picture's range. Cost O(pixels), about the same for every sigma. Source: the semigroup property of
/// the Gaussian (Lindeberg, Scale-Space Theory in Computer Vision, 1994).
struct Gaussian {
  Real sigma = 1;                ///< standard deviation in pixels, 0 (no blur) to 500
  Border border = Border::edge;  ///< what lies beyond the picture
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  /// Into a caller's buffer of shape(in.shape).
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Gaussian>& d);
};

/// Mean of the square window of 2 * radius + 1 pixels a side. Running column sums in double, then sums of doubling
/// width along the row: cost O(pixels * log radius), no drift. NaN and infinity stay within the window.
struct Box {
  Real radius = 1;               ///< half-width of the window in pixels, 0 to 2047
  Border border = Border::edge;  ///< what lies beyond the picture
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Box>& d);
};

/// Binomial smoothing: the rows 1 2 1, 1 4 6 4 1, ... of Pascal's triangle over 4^radius, along x and y: the nearest to
/// a Gaussian of sigma sqrt(radius / 2) that its few taps allow, and exactly 0 at the highest frequency. O(pixels *
/// radius).
struct Binomial {
  Real radius = 1;               ///< half-width of the window in pixels, 0 to 100: 1 means 1 2 1
  Border border = Border::edge;  ///< what lies beyond the picture
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Binomial>& d);
};

/// Mean of the disk of all pixels with dx^2 + dy^2 <= radius^2: the same in all directions. Direct or by Fourier
/// transform, whichever is faster: O(pixels * min(radius^2, log pixels)).
struct DiskMean {
  Real radius = 1.5F;            ///< of the disk in pixels, 0 to 500, fractional too: 1.5 means a full 3x3
  Border border = Border::edge;  ///< what lies beyond the picture
  Real fill = 0;                 ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<DiskMean>& d);
};

}  // namespace sieve
