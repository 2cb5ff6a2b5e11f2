#pragma once
/// First derivatives: magnitude and direction of the gradient.

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// The pair of 3x3 kernels that stands for the derivatives in x and y, as textbooks write them (not divided by
/// their weight: 8 for Sobel, 6 for Prewitt, 32 for Scharr times the slope per pixel).
enum class GradientBy { sobel, prewitt, scharr };

template <>
struct ChoiceNames<GradientBy> {
  static std::span<const std::pair<const char*, GradientBy>> all();
};

/// sqrt(gx^2 + gy^2) of the correlations with the two kernels, each color channel by itself; 0 or more, not
/// clipped. Alpha passes through. O(pixels).
struct GradientMagnitude {
  GradientBy by = GradientBy::sobel;  ///< the pair of kernels
  Border border = Border::edge;       ///< edge, mirror, reflect, wrap or zero

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<GradientMagnitude>& d);
};

/// atan2(gy, gx) in radians, in (-pi, pi]: 0 where the picture grows brighter to the right, pi/2 where it grows
/// brighter downward (y points down); 0 where it is flat. To view it, stretch low=-3.1416 high=3.1416. O(pixels).
struct GradientDirection {
  GradientBy by = GradientBy::sobel;  ///< the pair of kernels
  Border border = Border::edge;       ///< edge, mirror, reflect, wrap or zero

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<GradientDirection>& d);
};

}  // namespace sieve
