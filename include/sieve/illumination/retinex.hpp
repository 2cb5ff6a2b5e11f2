#pragma once
/// Retinex: what a place is, relative to its surround.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Sigmas of the surrounds, in pixels.
struct RetinexScales {
  std::vector<float> sigmas = {15, 80, 250};
};
template <>
struct TextValue<RetinexScales> {
  static std::string text(const RetinexScales& s);
  static RetinexScales parse(std::string_view s, const Resources& r);
  static const char* allowed();
};

/// level + gain * mean over the scales of log((v + 1/100) / (G v + 1/100)) with G v the Gaussian of that sigma:
/// single-scale retinex with one scale, multi-scale with several. Samples under 0 count as 0. On color the luma is
/// changed and the hue kept. The result is centered on `level` and may leave 0..1. Tells flatness before and after in a
/// note. Source: Jobson, Rahman and Woodell, "A multiscale
/// retinex for bridging the gap between color images and the human observation of scenes", 1997. O(pixels * scales).
struct Retinex {
  RetinexScales scales = {};       ///< 1 to 8 sigmas, each 0.5 to 500 pixels
  Real gain = 0.3F;                ///< of the logarithm, 0.001 to 10
  Real level = 0.5F;               ///< what a place that equals its surround becomes, -10 to 10
  Border border = Border::mirror;  ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Retinex>& d);
};

}  // namespace sieve
