#pragma once
/// What a picture calls for, by measured figures.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/diagnose/advice.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/tone/exposure.hpp"
#include "sieve/tone/histogram.hpp"

namespace SIEVE_EXPORT sieve {

/// What was measured, and what follows from it.
struct Findings {
  Exposure exposure;
  HistogramComb comb;     ///< of the color channel with the most empty levels
  double noise = 0;       ///< noise_level
  double sharpness = 0;   ///< sharpness
  ImpulseShare impulses;  ///< of the luma
  double at_floor = 0;    ///< share of the color samples at 0 or below
  double at_ceiling = 0;  ///< share of the color samples at 1 or above
  double light_range =
      0;  ///< largest less smallest value of a smooth surface of degree 2 through the luma, over its mean
  double light_share = 0;  ///< share of the variance of the luma, averaged over blocks, that this surface explains
  double light_slope =
      0;  ///< slope from block to block over the surface's own slope, weighted median: 1 for a slow change
  std::vector<Advice> advice;  ///< what to take first, in the order in which to take it; then what to leave
};

/// Measures a picture and gives advice: impulses (half a percent of the pixels) call for a median and against a
/// Gaussian; uneven light (a smooth surface that ranges over 0.4 of its mean, explains half of the large-scale
/// lightness, and whose slope is found from place to place) is to be corrected before equalizing; exposure as
/// plan_exposure says; a comb speaks against more stretching. Rules of thumb: a wall with a soft shadow looks like
/// uneven light. O(pixels).
[[nodiscard]] Findings examine(const ConstView& in);

}  // namespace sieve
