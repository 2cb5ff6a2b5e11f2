#pragma once
/// Bilateral and guided filter.

#include <optional>
#include <string>

#include "sieve/core/picture.hpp"

namespace sieve {

/// How the bilateral filter is computed.
enum class BilateralWay {
  exact,  ///< every window by itself
  fast,   ///< Gaussian blurs of shifted weights at a few levels, see there
};
template <>
struct ChoiceNames<BilateralWay> {
  static std::span<const std::pair<const char*, BilateralWay>> all();
};

/// Bilateral filter: the mean of the neighbors within ceil(2.5 sigma) pixels, weighted by a Gaussian of their distance and
/// a Gaussian of their difference in level. Every color channel by itself. fast: the weights of the difference are sums
/// of cosines of multiples of the level, so that the mean becomes a few Gaussian blurs (error below 0.005 for range sigmas
/// of 0.05 and more of 0..1; smaller ones need more terms and grow slower). `range` auto: twice the estimated noise
/// deviation, at least 0.02. Sources: Tomasi and Manduchi, "Bilateral filtering for gray and color images", 1998;
/// Chaudhury, Sage and Unser, "Fast O(1) bilateral filtering using trigonometric range kernels", 2011. exact: O(pixels *
/// sigma^2); fast: O(pixels / range).
struct Bilateral {
  float sigma = 3;                       ///< of the distance, pixels, 0.5 to 100
  std::optional<float> range = {};       ///< of the difference in level, 0.005 to 10; auto: from the noise level
  BilateralWay way = BilateralWay::fast;

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  std::string meaning() const;
  static void describe(Description<Bilateral>& d);
};

/// Guided filter: in every square window the result is a line a * guide + b of the guide, with a = cov / (var + eps^2); the
/// lines of all windows that hold a pixel are averaged. Edges of the guide stay. Without a guide each channel guides
/// itself. The edge is repeated beyond the border. `strength` auto: twice the estimated noise deviation, at least 0.01.
/// Source: He, Sun and Tang, "Guided image filtering", IEEE Trans. PAMI 35, 2013. O(pixels), whatever the radius.
struct Guided {
  int radius = 4;                       ///< half-width of the square window in pixels, 1 to 500
  std::optional<float> strength = {};   ///< eps: detail with a deviation below this is smoothed, 1e-4 to 10; auto: from the noise level
  Picture with = {};                    ///< a gray guide, or one with the picture's channels; none: the picture itself

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  int reach() const { return 2 * radius; }
  std::string meaning() const;
  static void describe(Description<Guided>& d);
};

}  // namespace sieve
