#pragma once
/// Non-local means.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Non-local means: the mean of all pixels in a search window, weighted by how alike their patches are: w = exp(-max(0,
/// d - 2 s^2) / h^2), with d the mean squared difference of the two patches over all color channels, s the noise
/// deviation and h = `strength` times s. The pixel itself gets the largest weight of the others, and 1 where that is
/// 1e-18 or less, as nothing is alike then. `noise` auto: estimated. `strength` auto: 0.25 to 1, what has the least
/// estimated error in parts of the picture (Stein's estimate, see docs/guide/denoise.md). Source: Buades, Coll and
/// Morel, "A non-local algorithm for image denoising", 2005, and "Non-local means denoising", Image Processing On Line
/// 1, 2011. O(pixels * search window * patch side). Mirrored beyond the border by default, since repeated samples would
/// look free of noise. NaN spreads over patch and search window.
struct NonlocalMeans {
  int patch = 3;                       ///< half-width of the patches in pixels, 0 to 20: 3 means 7x7
  int search = 10;                     ///< half-width of the search window in pixels, 1 to 50: 10 means 21x21
  std::optional<float> strength = {};  ///< h in noise deviations, 0.01 to 10; auto: of the least estimated error
  std::optional<float> noise = {};     ///< standard deviation of the noise, 0 to 1; auto: estimated
  Border border = Border::mirror;      ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<NonlocalMeans>& d);
};

}  // namespace sieve
