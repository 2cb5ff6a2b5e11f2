#pragma once
/// Restoration by one division in the frequency domain, held in check in several ways.

#include <optional>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"
#include "sieve/describe/stage.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

// What all restorations share. `psf` is the point spread function; it is scaled to sum 1. A blur brings light in from
// beyond the border, which nobody knows; `border` says what is assumed there, and the edge repeated is none of it:
// - Border::taper, the default of all that reckon with noise: the picture goes on for the size of the PSF, from mirror
//   images of both ends that fade into each other, as the PSF can have blurred it: towards the least sum |H X - G|^2 +
//   0.01 |D X|^2 over all X, with D the gradient (Reeves, IEEE Trans. Image Processing 14, 2005). Over photographs it
//   is the best for every PSF, and takes about three times as long as wrap.
// - Border::mirror, the default of the plain divisions: mirror images, exact for a picture that was blurred with
//   border=mirror by a PSF that is the same in a mirror.
// - Border::wrap, the circular model of textbooks, exact for a picture blurred with border=wrap.
// They reckon in double and take each color channel by itself; Wiener, ConstrainedLeastSquares and Landweber, where
// they find their weight or end themselves, the sum of three channels over the root of 3 and two differences instead
// (with orthonormal weights, so that the noise is as strong), which have less power and are damped more. Samples that
// are not finite are treated as 0 and stay. Source: Gonzalez and Woods, Digital Image Processing, chapter 5.

/// Inverse filter: G / H. Where it raises noise, a note tells by how much. Refused where some |H| is below 1e-15, so
/// that what stood there is gone, and where nothing but rounding would come back: where what was rounded off the
/// samples (to the levels of the file, or to 32-bit floats), raised by the division, is more than the deviation of the
/// picture. `force` divides all the same, and leaves out the frequencies that are gone. O(pixels log pixels).
struct Inverse {
  Kernel psf = Kernel::gaussian(1);  ///< of the blur, scaled to sum 1
  bool force = false;                ///< divides where it would be refused
  Border border = Border::mirror;    ///< mirror, taper or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Inverse>& d);
};

/// Pseudo-inverse: G / H where |H| is at least `threshold`. Below it the coefficient is left out, divided by H held at
/// the threshold with its phase, or multiplied by `constant`.
struct PseudoInverse {
  /// What becomes of a coefficient below the threshold.
  enum class Below {
    drop,      ///< it is left out
    hold,      ///< divided by H at the threshold, with H's phase
    constant,  ///< multiplied by `constant`
  };
  Kernel psf = Kernel::gaussian(1);  ///< of the blur, scaled to sum 1
  Real threshold = 0.05F;            ///< of |H|, 1e-9 to 1
  Below below = Below::drop;         ///< what becomes of a coefficient below the threshold
  Real constant = 1;                 ///< factor of the coefficients below, -100 to 100
  Border border = Border::mirror;    ///< mirror, taper or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<PseudoInverse>& d);
};
template <>
struct ChoiceNames<PseudoInverse::Below> {
  static std::span<const std::pair<const char*, PseudoInverse::Below>> all();
};

/// Wiener filter: conj(H) / (|H|^2 + K) with K the ratio of the noise's power to the picture's. `ratio` auto: for each
/// frequency by itself, from the noise's deviation and the power of the blurred picture over rings of frequencies, less
/// the noise's; where that is not more than noise may be by chance, the ratio rises as the square of the frequency.
/// Where less than a tenth is left of the power, at most 20 times what the straight line of log power over log
/// frequency says counts as picture; 2 times where more noise is found than was told, or where the blur lets through
/// more at a higher frequency (a zero that may be that of another PSF). `ratios` gives K for each frequency as a
/// picture (see noise_ratio) and stands for `ratio`. Source: Wiener, 1949.
struct Wiener {
  Kernel psf = Kernel::gaussian(1);  ///< of the blur, scaled to sum 1
  std::optional<float> ratio = {};   ///< K, 0 to 1000; auto: measured
  std::optional<float> noise = {};   ///< deviation of the noise for ratio=auto, 0 to 1; auto: estimated
  /// a gray picture of K over the frequencies, 0 in its middle, sides at 0.5 cycles per pixel, of any size
  SharedImage ratios = {};
  Border border = Border::taper;  ///< taper, mirror or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Wiener>& d);
};

/// The ratio of the power of white noise to that of a clean picture, over the frequencies as Wiener::ratios takes it:
/// for experiments where the truth is known, or a picture of the same kind. `deviation` of the noise on the 0..1 scale,
/// 0 or above (InvalidArgument). The power is the mean over 5x5 frequencies; the luma of color. O(pixels log pixels).
[[nodiscard]] Image noise_ratio(const ConstView& clean, double deviation);

/// How a parameter finds itself.
enum class WeightBy {
  validation,   ///< generalized cross-validation: no noise level is needed (Golub, Heath and Wahba, 1979)
  discrepancy,  ///< the residual's deviation is that of the noise (Morozov, 1966)
  corner,       ///< the corner of the L-curve, roughness over residual (Hansen, 1992): no noise level is needed
};
template <>
struct ChoiceNames<WeightBy> {
  static std::span<const std::pair<const char*, WeightBy>> all();
};

/// Constrained least squares: conj(H) / (|H|^2 + weight |L|^2) with L the 4-neighbor Laplacian (`smooth` yes), or L =
/// 1: Tikhonov's regularization (`smooth` no). `weight` auto: found as `by` says; the notes tell the rounds. Source:
/// Hunt, 1973.
struct ConstrainedLeastSquares {
  Kernel psf = Kernel::gaussian(1);    ///< of the blur, scaled to sum 1
  std::optional<float> weight = {};    ///< 0 to 1e6; auto: see `by`
  WeightBy by = WeightBy::validation;  ///< how weight=auto is found
  bool smooth = true;                  ///< L the Laplacian; no: L = 1
  std::optional<float> noise = {};     ///< deviation of the noise for by=discrepancy, 0 to 1; auto: estimated
  Border border = Border::taper;       ///< taper, mirror or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<ConstrainedLeastSquares>& d);
};

/// What a weight of ConstrainedLeastSquares leads to, over weights from exp(-30) to exp(15) in steps of exp(0.5).
struct WeightCurve {
  std::vector<double> weight;     ///< the weights
  std::vector<double> residual;   ///< deviation of the result, blurred again, from the input, 0..1 scale
  std::vector<double> roughness;  ///< root of the mean square of L times the result
  std::vector<double> score;      ///< of cross-validation, lower is better
  double noise = 0;               ///< the deviation that by=discrepancy aims at
  int by_discrepancy = 0, by_validation = 0, by_corner = 0;  ///< the entry next to what each method chooses
};
/// For the gray channel or the luma of a color picture. Ignores `weight` and `by`. InvalidArgument as the filter.
/// O(pixels log pixels).
[[nodiscard]] WeightCurve weight_curve(const ConstView& in, const ConstrainedLeastSquares& filter);

}  // namespace sieve
