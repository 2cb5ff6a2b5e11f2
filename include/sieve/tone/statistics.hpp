#pragma once
/// Numbers that describe the samples of a picture.

#include <cstddef>
#include <span>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// Figures of one channel. NaN and infinity are counted and left out of all other figures.
struct ChannelStatistics {
  double minimum = 0;  ///< 0..1 scale
  double maximum = 0;
  double mean = 0;
  double deviation = 0;   ///< standard deviation, divided by n
  double at_floor = 0;    ///< share of samples at 0 or below
  double at_ceiling = 0;  ///< share of samples at 1 or above
  std::size_t below = 0;  ///< samples under 0
  std::size_t above = 0;  ///< samples over 1
  std::size_t not_finite = 0;
};

/// The figures of each channel, alpha included. Sums run in double, in a fixed order. O(samples).
[[nodiscard]] std::vector<ChannelStatistics> statistics(const ConstView& in);

/// The smallest and the largest sample of a picture.
struct SampleRange {
  double minimum = 0;  ///< 0..1 scale
  double maximum = 0;  ///< 0..1 scale
};
/// Of all finite samples of all color channels together. InvalidArgument where no sample is finite. O(samples).
[[nodiscard]] SampleRange sample_range(const ConstView& in);

/// The sample below which the share `share` (0..1) of all finite color samples lies, by rank: exact, no bins (rank
/// floor(share (n - 1)) up to the middle, ceil beyond it). InvalidArgument where no sample is finite. O(samples).
[[nodiscard]] double percentile(const ConstView& in, double share);

/// Several percentiles in the same two passes over the picture. O(samples).
[[nodiscard]] std::vector<double> percentiles(const ConstView& in, std::span<const double> shares);

}  // namespace sieve
