#pragma once
/// Black and white by a level.

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/tone/histogram.hpp"

namespace SIEVE_EXPORT sieve {

/// How the level of a threshold is found.
enum class ThresholdBy {
  level,  ///< the level given
  otsu,   ///< the level that parts the histogram into the two classes of greatest variance between them
  local,  ///< the mean of the window around each pixel, less `offset`
};
template <>
struct ChoiceNames<ThresholdBy> {
  static std::span<const std::pair<const char*, ThresholdBy>> all();
};

/// The level that splits a histogram in two so that the variance between the classes is greatest; the middle where many
/// do equally. Samples outside the range count with its ends. Source: Otsu, "A threshold selection method from
/// gray-level histograms", IEEE Trans. SMC 9, 1979. O(bins). NaN where all bins are empty.
[[nodiscard]] double otsu_level(const Histogram& h);

/// 1 where a sample lies above the level, else 0; every color channel by itself. NaN stays. Above a local mean means by
/// more than a millionth, which a flat area is off its own mean by rounding.
struct Threshold {
  ThresholdBy by = ThresholdBy::otsu;  ///< how the level is found
  Real level = 0.5F;                   ///< with by=level
  Real radius = 15;                    ///< half-width in pixels of the square window with by=local, 1 to 2047
  Real offset = 0;                     ///< how far above the mean less this a sample must lie with by=local, -1 to 1
  Border border = Border::edge;        ///< with by=local: edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Threshold>& d);
};

}  // namespace sieve
