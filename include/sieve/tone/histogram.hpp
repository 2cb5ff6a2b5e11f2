#pragma once
/// Histograms: how many samples have which level.

#include <cstddef>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve {

/// Stands for a channel: the luma (BT.709) of a color picture, the only channel of a gray one.
constexpr int luma_channel = -1;

/// How many samples fall into each part of low..high; what lies outside is counted apart.
struct Histogram {
  double low = 0;
  double high = 1;
  bool by_level = false;  ///< bin k holds exactly level k of an integer source, at k / (number of bins - 1)
  std::vector<std::size_t> counts;
  std::size_t below = 0;       ///< samples under low
  std::size_t above = 0;       ///< samples over high
  std::size_t not_finite = 0;  ///< NaN and infinities

  std::size_t total() const;             ///< all samples within low..high
  double center(std::size_t bin) const;  ///< the sample in the middle of a bin: for bins by level, that level
  /// counts over total(): they add up to 1. All 0 where total() is 0.
  std::vector<double> probabilities() const;
  /// The share of samples in this bin or a lower one; the last is exactly 1. All 0 where total() is 0.
  std::vector<double> cumulative() const;
};

/// The histogram of one channel, or of the luma (luma_channel). `bins` equal parts of low..high, the last one with its
/// upper end; 0 means one bin a level for integer sources over 0..1 (level k in bin k exactly) and 256 bins otherwise.
/// InvalidArgument for no such channel, fewer bins than 0 or more than 2^24, or an empty range. O(samples + bins).
Histogram histogram(const ConstView& in, int channel, int bins = 0, double low = 0, double high = 1);

/// The comb that a crude stretch of few levels leaves: levels that hold nothing between levels that hold much.
struct HistogramComb {
  std::size_t used = 0;   ///< bins that hold a sample
  std::size_t empty = 0;  ///< empty bins where a smooth histogram would have at least 5 samples
  double share = 0;       ///< empty / bins from the lowest used to the highest used one
  bool found = false;     ///< share of 0.02 and more, in at least 8 places: spikes at the ends alone are no comb
};
/// Looks for a comb. A bin counts as empty by fault where it holds nothing, has used bins within 32 bins on both
/// sides, and the mean count of the bins from one to the other is 5 or more. O(bins).
HistogramComb comb(const Histogram& h);

/// The lowest place between each two neighbors of `peaks` (bin numbers, rising); the middle one of equal places.
std::vector<std::size_t> valleys_between(const Histogram& h, const std::vector<std::size_t>& peaks);

}  // namespace sieve
