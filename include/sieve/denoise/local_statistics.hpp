#pragma once
/// Filters by local mean and variance, and a transform that makes photon noise even.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Adaptive Wiener filter: mean + max(0, var - noise^2) / max(var, noise^2) * (v - mean), with mean and variance of the
/// square window: flat places are smoothed, busy ones kept. `noise` auto: estimated. Mirrored beyond the
/// border by default, since repeated samples would look free of noise. Sources:
/// Lee, "Digital image enhancement and noise filtering by use of local statistics", IEEE Trans. PAMI 2, 1980; Lim,
/// Two-Dimensional Signal and Image Processing, 1990. O(pixels), whatever the radius.
struct AdaptiveWiener {
  Real radius = 4;                  ///< half-width of the square window in pixels, 1 to 500
  std::optional<float> noise = {};  ///< standard deviation of the noise, 0 to 1; auto: estimated
  Border border = Border::mirror;   ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<AdaptiveWiener>& d);
};

/// Lee's filter for speckle, noise that grows with the level: mean + k (v - mean) with k = max(0, 1 - s^2 / C^2) and C
/// = deviation / mean of the square window. `speckle` auto: the lower quartile of C over the picture. The border as
/// in AdaptiveWiener. Source: Lee, "Speckle analysis and smoothing of synthetic aperture radar images", 1981.
/// O(pixels).
struct Lee {
  Real radius = 3;                    ///< half-width of the square window in pixels, 1 to 500
  std::optional<float> speckle = {};  ///< s: deviation of the speckle as a share of the level, 0 to 2; auto: estimated
  Border border = Border::mirror;     ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Lee>& d);
};

/// Anscombe's transform: 2 sqrt(v peak + 3/8) / (2 sqrt(peak + 3/8)), which makes photon noise of any level equally
/// strong (deviation 1 / (2 sqrt(peak + 3/8))). `peak` is the number of photons that white stands for. Samples below
/// -3/8 / peak count as that. Source: Anscombe, Biometrika 35, 1948. O(samples).
struct Anscombe {
  Real peak = 100;  ///< photons at white, 0.1 to 1e6

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Anscombe>& d);
};

/// Undoes Anscombe after a denoiser, without the bias that the plain inverse has: the closed form of the exact
/// unbiased inverse. Source: Makitalo and Foi, "A closed-form approximation of the exact unbiased inverse of the
/// Anscombe variance-stabilizing transformation", IEEE Trans. Image Processing 20, 2011. O(samples).
struct InverseAnscombe {
  Real peak = 100;  ///< as in Anscombe

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<InverseAnscombe>& d);
};

}  // namespace sieve
