#pragma once
/// Correction by frames that were taken for it.

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"

namespace SIEVE_EXPORT sieve {

/// (in - dark) / (flat - dark) times the mean of (flat - dark), channel by channel: takes out vignetting, dust and
/// uneven lamps; the mean level is kept. Where flat - dark is less than `least` of its mean it is held there, and the
/// number of such samples is told in a note. Flat and dark have the picture's size, and its channels or one. NaN stays;
/// a sample of the flat that is not finite leaves its pixel as it is. Source: Young and others, Fundamentals of Image
/// Processing, 1998, "Shading correction". O(samples).
struct FlatField {
  SharedImage with = {};  ///< the flat: an evenly lit, empty scene through the same optics
  SharedImage dark = {};  ///< the dark frame: the closed shutter; none counts as 0
  Real least = 0.02F;     ///< smallest divisor, as a share of its mean, 1e-6 to 1

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<FlatField>& d);
};

}  // namespace sieve
