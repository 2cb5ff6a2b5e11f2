#pragma once
/// Convolution and correlation with any kernel.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

/// How a convolution is computed. All ways agree within 1e-5 times the sum of the absolute taps times the largest
/// absolute sample.
enum class ConvolutionMethod {
  automatic,  ///< the fastest of the three for this kernel and size
  direct,     ///< the sum over the taps, zero taps left out: O(pixels * taps)
  separable,  ///< two passes; InvalidArgument for a kernel that is no product of a column and a row. O(pixels * (w +
              ///< h))
  fourier,    ///< tiles through the FFT (overlap and save): O(pixels * log tile), whatever the kernel
};

template <>
struct ChoiceNames<ConvolutionMethod> {
  static std::span<const std::pair<const char*, ConvolutionMethod>> all();
};

/// Convolution: every result is the sum of its neighbors weighted by the kernel *turned by 180 degrees*
/// (Gonzalez and Woods, Digital Image Processing, "Spatial correlation and convolution"):
///
///     out(x, y) = sum over i, j of k(i, j) * in(x - (i - ax), y - (j - ay))        (ax, ay): the kernel's anchor
///
/// With stride s the results at x = 0, s, 2s, ... are kept: ceil(n / s) to a side; with Border::inside only places
/// where the whole kernel fits: floor((n - k + s) / s); with Border::full all that it touches: ceil((n + k - 1) / s),
/// the border zero and that of alpha repeated. Nothing is clipped. Each color channel by itself, alpha passes through
/// (sampled at the same places). NaN and infinity stay within the kernel's reach. Memory: source, result and a few rows
/// a thread. InvalidArgument: stride below 1, inside with a kernel larger than the picture.
struct Convolve {
  Kernel kernel = Kernel::parse("sharpen");  ///< turned by 180 degrees as it is applied
  Border border = Border::edge;              ///< what lies beyond the picture
  Real fill = 0;                             ///< the sample beyond the picture with Border::constant, 0..1 scale
  int stride = 1;                            ///< keep every stride-th result of each row and column
  ConvolutionMethod method = ConvolutionMethod::automatic;  ///< how it is computed

  [[nodiscard]] Image operator()(const ConstView& in) const;
  /// Into a caller's buffer of shape(in.shape).
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Convolve>& d);
};

/// Correlation: the same with the kernel as it is written, not turned:
///
///     out(x, y) = sum over i, j of k(i, j) * in(x + (i - ax), y + (j - ay))
///
/// For a kernel that is the same after half a turn (Gaussian, box, Laplacian) there is no difference.
struct Correlate {
  Kernel kernel = Kernel::parse("sobel_x");  ///< applied as it is written
  Border border = Border::edge;              ///< what lies beyond the picture
  Real fill = 0;                             ///< the sample beyond the picture with Border::constant, 0..1 scale
  int stride = 1;                            ///< keep every stride-th result of each row and column
  ConvolutionMethod method = ConvolutionMethod::automatic;  ///< how it is computed

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Correlate>& d);
};

/// The way that ConvolutionMethod::automatic takes for a kernel on a picture of this shape.
[[nodiscard]] ConvolutionMethod chosen_method(const Kernel& kernel, const Shape& in);

}  // namespace sieve
