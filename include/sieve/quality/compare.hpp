#pragma once
/// A result against the truth.

#include <cstddef>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// Figures over all color samples; pairs with a NaN or an infinity are left out and counted.
struct Comparison {
  double mse = 0;                 ///< mean of the squared difference
  double mae = 0;                 ///< mean of the absolute difference
  double psnr = 0;                ///< 10 log10(peak^2 / mse) in dB; infinite for identical pictures
  double peak = 1;                ///< the peak that psnr refers to
  double ssim = 0;                ///< mean structural similarity, see ssim()
  double maximum_deviation = 0;   ///< largest absolute difference
  int x = 0, y = 0, channel = 0;  ///< where it is (the first such place)
  double changed = 0;             ///< share of samples that differ at all
  std::size_t not_finite = 0;     ///< pairs left out
};

/// All figures at once. InvalidArgument where the pictures differ in width, height or color channels. O(samples).
[[nodiscard]] Comparison compare(const ConstView& result, const ConstView& truth, double peak = 1);

/// The PSNR of compare() alone, without the time that the similarity takes: 10 log10(peak^2 / mse) in dB, infinite for
/// identical pictures. InvalidArgument as compare(). O(samples).
[[nodiscard]] double psnr(const ConstView& result, const ConstView& truth, double peak = 1);

/// Mean structural similarity: 11x11 Gaussian window of deviation 1.5, C1 = (0.01 L)^2, C2 = (0.03 L)^2 with L the
/// peak (Wang, Bovik, Sheikh, Simoncelli, "Image quality assessment: from error visibility to structural similarity",
/// 2004), at the places where the whole window lies inside, averaged over places and then over the color channels. A
/// picture smaller than the window is mirrored at its edges. 1 for identical pictures. O(samples).
[[nodiscard]] double ssim(const ConstView& result, const ConstView& truth, double peak = 1);

/// The similarity of each place, a picture of the size where the window fits, one channel for each color channel.
[[nodiscard]] Image ssim_map(const ConstView& result, const ConstView& truth, double peak = 1);

/// result - truth, signed, as a float picture. InvalidArgument as compare().
[[nodiscard]] Image difference(const ConstView& result, const ConstView& truth);

}  // namespace sieve
