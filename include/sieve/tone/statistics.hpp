#pragma once
/// Numbers that describe the samples of a picture.

#include <cstddef>
#include <span>
#include <string>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve {

/// Figures of one channel. NaN and infinity are counted and left out of all other figures.
struct ChannelStatistics {
  double minimum = 0;      ///< 0..1 scale
  double maximum = 0;
  double mean = 0;
  double deviation = 0;    ///< standard deviation, divided by n
  double at_floor = 0;     ///< share of samples at 0 or below
  double at_ceiling = 0;   ///< share of samples at 1 or above
  std::size_t below = 0;   ///< samples under 0
  std::size_t above = 0;   ///< samples over 1
  std::size_t not_finite = 0;
};

/// The figures of each channel, alpha included. Sums run in double, in a fixed order. O(samples).
std::vector<ChannelStatistics> statistics(const ConstView& in);

/// How many samples fall into each of `bins` equal parts of low..high; what lies outside is counted apart.
struct Histogram {
  double low = 0;
  double high = 1;
  std::vector<std::size_t> counts;
  std::size_t below = 0;       ///< samples under low
  std::size_t above = 0;       ///< samples over high
  std::size_t not_finite = 0;  ///< NaN and infinities
  std::size_t total() const;   ///< all samples within low..high
};

/// The histogram of one channel. `bins` 0 means one bin a level for integer sources (level k in bin k exactly) and
/// 256 bins for float data. BadCall for no such channel, fewer bins than 0, or an empty range. O(samples).
Histogram histogram(const ConstView& in, int channel, int bins = 0, double low = 0, double high = 1);

/// The sample below which the share `share` (0..1) of all finite color samples lies, by rank: exact, no bins (rank
/// floor(share (n - 1)) up to the middle, ceil beyond it). BadCall where no sample is finite. O(samples).
double percentile(const ConstView& in, double share);

/// Several percentiles in the same two passes over the picture. O(samples).
std::vector<double> percentiles(const ConstView& in, std::span<const double> shares);

/// What the exposure of a picture looks like, and why.
struct Exposure {
  std::string verdict;  ///< "too dark", "too bright", "low contrast", "balanced"
  std::string reason;   ///< one line with the figures
  double median = 0;    ///< of the luma
  double low = 0;       ///< 1st percentile of the luma
  double high = 0;      ///< 99th percentile of the luma
};

/// Judges by the luma (BT.709): too dark where the median is under 0.15 or half of the samples or more lie at the
/// floor; too bright where it is over 0.85 or a tenth or more lies at the ceiling; low contrast where the middle
/// 98 % span less than 0.4; else balanced. O(pixels) on average.
Exposure exposure(const ConstView& in);

}  // namespace sieve
