#pragma once
/// Operations on single samples: what makes a result fit to view. The call into a buffer may get the picture itself as
/// that buffer (but for gray of a color picture, which has another shape).

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Samples below `low` become `low`, above `high` become `high`; NaN stays NaN. One of the few operations that clip.
struct Clip {
  Real low = 0;   ///< lowest sample kept
  Real high = 1;  ///< highest sample kept; InvalidArgument where it is below `low`

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Clip>& d);
};

/// A line through two points: samples from low..high go to to_low..to_high, and beyond that on along the same line
/// (nothing is clipped). `low` and `high` left to themselves are the smallest and largest finite sample of all color
/// channels together, so colors keep their balance; with `percent` that share of the samples is left out at each
/// end (exact percentiles). A picture of one level comes out as to_low. O(samples).
struct Stretch {
  std::optional<float> low = {};   ///< input level that becomes to_low; auto: measured
  std::optional<float> high = {};  ///< input level that becomes to_high; auto: measured
  Real to_low = 0;                 ///< output level for low
  Real to_high = 1;                ///< output level for high; below to_low it inverts
  Real percent = 0;                ///< share of samples left out at each end when measured, in percent, 0 to 49

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Stretch>& d);
};

/// |v| of every sample: the size of a signed difference or derivative.
struct Absolute {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Absolute>& d);
};

/// Gray from color: a luma of the samples as stored, the mean, or one channel. Gray comes back as it is.
struct Gray {
  GrayBy by = GrayBy::rec709;  ///< the weights of the channels, or one of them

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Gray>& d);
};

}  // namespace sieve
