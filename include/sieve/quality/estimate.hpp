#pragma once
/// Figures that need no truth.

#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/tone/histogram.hpp"

namespace SIEVE_EXPORT sieve {

/// Standard deviation of white noise, 0..1 scale: the median absolute response to the mask 1 -2 1 / -2 4 -2 / 1 -2 1,
/// over 0.6745 * 6 (the mask: Immerkaer, "Fast noise variance estimation", 1996; the robust scale: Donoho and
/// Johnstone, 1994), mean over the color channels. It is taken in the flattest tiles of 16 by 16 pixels: of every
/// eighth of them by their mean the tenth, but 4 at least, beside which the largest median response (2 pixels and more
/// inside of a tile) is least. Tiles with more than 2 % of their samples at exactly 0 or 1 are left out, since noise
/// that was clipped there is smaller; where only a fourth or less would be left, all tiles count alike. Fine texture
/// that fills the picture is taken for noise, and noise that is alike in neighbors is hardly seen. InvalidArgument
/// where no sample and its eight neighbors are finite. O(samples).
[[nodiscard]] double noise_level(const ConstView& in);

/// Shares of the color samples that look like dark and bright impulses: the lowest or highest of their 3x3 window, and
/// farther from the median of their neighbors than 0.1 and three times the neighbors' own spread.
struct ImpulseShare {
  double dark = 0;
  double bright = 0;
};
[[nodiscard]] ImpulseShare impulse_share(const ConstView& in);

/// Variance of the 4-neighbor Laplacian of the luma: high for sharp (and for noisy) pictures, low for blurred ones.
[[nodiscard]] double sharpness(const ConstView& in);

/// Sigma in pixels of the Gaussian that blurs the steepest edges as much: from how much a further Gaussian of sigma 1
/// lowers their gradient. Sharp photographs have about 0.7; 0 where there are too few edges. Where there is grain it is
/// smoothed first, and that is taken off again. The luma of color. Source: Zhuo and Sim, "Defocus map estimation from a
/// single image", Pattern Recognition 44, 2011. O(samples).
[[nodiscard]] double edge_blur(const ConstView& in);

/// A peak of a histogram.
struct HistogramPeak {
  double level = 0;   ///< middle of its bin, on the histogram's scale
  double height = 0;  ///< count there, after smoothing
};
/// The peaks of a histogram, lowest level first: counts are smoothed with a Gaussian of a hundredth of the bins, and a
/// peak rises above the deeper of the valleys beside it by a twentieth of the highest peak or more.
[[nodiscard]] std::vector<HistogramPeak> histogram_peaks(const Histogram& h);

}  // namespace sieve
