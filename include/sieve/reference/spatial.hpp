#pragma once
/// Plain definitions of convolution and its relatives.

#include <functional>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/footprint.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The sample at any (x, y), also outside the picture, as the border says.
[[nodiscard]] double sample(const ConstView& in, int x, int y, int channel, Border border, double fill);

/// out(x, y) = sum k(i, j) in(x - (i - ax), y - (j - ay)), at x, y = 0, s, 2s, ... or, with Border::inside, only
/// where the whole kernel fits. Gonzalez and Woods, Digital Image Processing, 4th ed., eq. 3-44. O(pixels * taps).
[[nodiscard]] Image convolve(const ConstView& in, const Kernel& kernel, Border border, double fill, int stride);
/// The same with in(x + (i - ax), y + (j - ay)): Gonzalez and Woods, eq. 3-43.
[[nodiscard]] Image correlate(const ConstView& in, const Kernel& kernel, Border border, double fill, int stride);
/// Convolution with the Gaussian of 2 * ceil(6 sigma) + 1 taps a side, rows and columns in turn.
[[nodiscard]] Image gaussian(const ConstView& in, double sigma, Border border, double fill);
/// Mean of the (2 radius + 1) by (2 radius + 1) window.
[[nodiscard]] Image box(const ConstView& in, int radius, Border border, double fill);
/// sqrt(gx^2 + gy^2) and atan2(gy, gx) of the correlations with two kernels. Gonzalez and Woods, section 10.2.
[[nodiscard]] Image gradient_magnitude(const ConstView& in, const Kernel& x, const Kernel& y, Border border);
[[nodiscard]] Image gradient_direction(const ConstView& in, const Kernel& x, const Kernel& y, Border border);
/// value(samples of the window in rising order) at every pixel; NaN counts as +infinity.
[[nodiscard]] Image ranked(const ConstView& in, const std::vector<WindowOffset>& window, Border border, double fill,
                           const std::function<double(const std::vector<double>&)>& value);
/// The first sample, in rising order, at which the weights so far are half of all weights or more.
[[nodiscard]] Image weighted_median(const ConstView& in, const std::vector<WindowOffset>& window,
                                    const std::vector<double>& weights, Border border, double fill);
/// Windows from 3x3 to 2 radius + 1 until the median is no extreme; then the pixel itself if it is none
/// or within `least` of the median, else the median.
[[nodiscard]] Image adaptive_median(const ConstView& in, int radius, double least, Border border, double fill);
/// The rectangle's samples one by one. InvalidArgument where it is not within the image.
[[nodiscard]] Image crop(const ConstView& in, const Rectangle& part);
/// Every sample of the larger picture through sample().
[[nodiscard]] Image pad(const ConstView& in, int left, int right, int top, int bottom, Border border, double fill);
/// Mean over the area that each result covers, pixel by pixel with the covered fraction as weight.
[[nodiscard]] Image shrink(const ConstView& in, int width, int height);

}  // namespace reference
}  // namespace sieve
