#pragma once
/// Bilateral and guided filter.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"

namespace SIEVE_EXPORT sieve {

/// How the bilateral filter is computed.
enum class BilateralMethod {
  automatic,  ///< exact up to a sigma of 4, fast beyond
  exact,      ///< every window by itself, O(pixels * sigma^2)
  fast,       ///< Gaussian blurs at a few levels, O(pixels / range) whatever the sigma
};
template <>
struct ChoiceNames<BilateralMethod> {
  static std::span<const std::pair<const char*, BilateralMethod>> all();
};

/// Bilateral filter: the mean of the neighbors within ceil(2.5 sigma) pixels each way, weighted by a Gaussian of their
/// distance and a Gaussian of their difference in level. Every color channel by itself. Beyond the
/// picture it goes on mirrored, since repeated samples would look free of noise.
/// fast: for levels that lie half a `range` apart the picture is blurred, on cells of half a sigma, with the weights
/// that a sample of that level would give, and every sample takes its value between the nearest cells and levels; for
/// ranges of 0.02 and more its result lies within 0.011 of the same filter with an unlimited window. Where the levels
/// span more than 500 ranges it runs exactly. `range` auto: 1 to 8 times the estimated noise deviation, what has
/// the least estimated error in parts of the picture (Stein's estimate, see docs/guide/denoise.md). NaN
/// and infinities count as 0 in the fast way and stay. Sources: Tomasi and Manduchi, "Bilateral filtering for gray and
/// color images", 1998; Durand and Dorsey, "Fast bilateral filtering for the display of high-dynamic-range images",
/// 2002.
struct Bilateral {
  Real sigma = 2;                   ///< of the distance, pixels, 0.5 to 100
  std::optional<float> range = {};  ///< of the difference in level, 0.005 to 10; auto: of the least estimated error
  BilateralMethod method = BilateralMethod::automatic;  ///< exact, fast, or by sigma
  Border border = Border::mirror;                       ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Bilateral>& d);
};

/// Guided filter: in every square window the result is a line a * guide + b of the guide, with a = cov / (var + eps^2);
/// the lines of all windows that hold a pixel are averaged. Edges of the guide stay. Without a guide each channel
/// guides itself. The edge is repeated beyond the border. `strength` auto: 0.7 to 5.6 times the estimated noise
/// deviation, what has the least estimated error in parts of the picture (Stein's estimate, see docs/guide/denoise.md).
/// Source: He, Sun and Tang, "Guided image filtering", IEEE Trans. PAMI 35, 2013. O(pixels), whatever the radius.
struct Guided {
  Real radius = 4;  ///< half-width of the square window in pixels, 1 to 500
  /// eps: detail with a deviation below this is smoothed, 1e-4 to 10; auto: of the least estimated error
  std::optional<float> strength = {};
  SharedImage with = {};         ///< a gray guide, or one with the picture's channels; none: the picture itself
  Border border = Border::edge;  ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Guided>& d);
};

}  // namespace sieve
