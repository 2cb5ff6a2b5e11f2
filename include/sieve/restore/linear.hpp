#pragma once
/// Restoration by one division in the frequency domain, held in check in several ways.

#include <optional>
#include <string>

#include "sieve/core/describe.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve {

/// How a blurred picture goes on beyond its border: a blur brings light in from there, which nobody knows.
enum class Beyond {
  mirror,   ///< mirror images without end, the edge sample repeated: no jump, hence no ripples from the border. Exact for a picture blurred with border=mirror by a symmetric PSF
  taper,    ///< the border is blended into the blur of the wrapped picture, over the width of the PSF
  wrap,     ///< the picture repeats: the circular model of textbooks, exact for a picture blurred with border=wrap
};
template <>
struct ChoiceNames<Beyond> {
  static std::span<const std::pair<const char*, Beyond>> all();
};

/// Inverse filter: G / H. Refused, with the diagnosis, where H has zeros; where it raises noise, a note tells by how much. All of
/// these filters scale the PSF to sum 1, reckon in double, take each color channel by itself, and treat samples that are
/// not finite as 0 and leave them. Source of them: Gonzalez and Woods, Digital Image Processing, chapter 5. O(pixels log pixels).
struct Inverse {
  Kernel psf = Kernel::gaussian(1);    ///< the point spread function; scaled to sum 1
  Beyond beyond = Beyond::mirror;     ///< how the picture goes on beyond its border

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<Inverse>& d);
};

/// Pseudo-inverse: G / H where |H| is at least `threshold`. Below it the coefficient is left out, divided by H held at the threshold
/// with its phase, or multiplied by `constant`.
struct PseudoInverse {
  /// What becomes of a coefficient below the threshold.
  enum class Below {
    drop,      ///< it is left out
    hold,      ///< divided by H at the threshold, with H's phase
    constant,  ///< multiplied by `constant`
  };
  Kernel psf = Kernel::gaussian(1);    ///< the point spread function; scaled to sum 1
  float threshold = 0.05F;  ///< of |H|, 1e-9 to 1
  Below below = Below::drop;           ///< what becomes of a coefficient below the threshold
  float constant = 1;       ///< factor of the coefficients below, -100 to 100
  Beyond beyond = Beyond::mirror;     ///< how the picture goes on beyond its border

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<PseudoInverse>& d);
};
template <>
struct ChoiceNames<PseudoInverse::Below> {
  static std::span<const std::pair<const char*, PseudoInverse::Below>> all();
};

/// Wiener filter: conj(H) / (|H|^2 + K) with K the ratio of the noise's power to the picture's. `ratio` auto: for each frequency by
/// itself, from the noise's deviation and the power of the blurred picture over rings of frequencies, less the noise's. Source:
/// Wiener, 1949.
struct Wiener {
  Kernel psf = Kernel::gaussian(1);    ///< the point spread function; scaled to sum 1
  std::optional<float> ratio = {};  ///< K, 0 to 1000; auto: measured
  std::optional<float> noise = {};  ///< deviation of the noise for ratio=auto, 0 to 1; auto: estimated
  Beyond beyond = Beyond::mirror;     ///< how the picture goes on beyond its border

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<Wiener>& d);
};

/// How a parameter finds itself.
enum class WeightBy {
  discrepancy,  ///< the residual's deviation is that of the noise (Morozov)
  validation,   ///< generalized cross-validation: no noise level is needed (Golub, Heath and Wahba, 1979)
};
template <>
struct ChoiceNames<WeightBy> {
  static std::span<const std::pair<const char*, WeightBy>> all();
};

/// Constrained least squares: conj(H) / (|H|^2 + weight |L|^2) with L the 4-neighbor Laplacian (`smooth` yes), or L = 1: Tikhonov's
/// regularization (`smooth` no). `weight` auto: found by bisection so that the residual equals the noise, or by cross-validation;
/// the notes tell the iterations. Source: Hunt, 1973.
struct LeastSquares {
  Kernel psf = Kernel::gaussian(1);    ///< the point spread function; scaled to sum 1
  std::optional<float> weight = {};  ///< 0 to 1e6; auto: see `by`
  WeightBy by = WeightBy::discrepancy;  ///< how weight=auto is found
  bool smooth = true;                  ///< L the Laplacian; no: L = 1
  std::optional<float> noise = {};   ///< deviation of the noise, 0 to 1; auto: estimated
  Beyond beyond = Beyond::mirror;     ///< how the picture goes on beyond its border

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<LeastSquares>& d);
};

}  // namespace sieve
