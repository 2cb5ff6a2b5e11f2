#pragma once
/// Histograms: how many samples have which level.

#include <cstddef>
#include <optional>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// Stands for a channel: the luma (BT.709) of a color picture, the only channel of a gray one.
constexpr int luma_channel = -1;

/// How many samples fall into each part of low..high; what lies outside is counted apart.
struct Histogram {
  double low = 0;                   ///< lower end of the first bin, 0..1 scale
  double high = 1;                  ///< upper end of the last bin
  bool by_level = false;            ///< bin k holds exactly level k of an integer source, at k / (number of bins - 1)
  std::vector<std::size_t> counts;  ///< samples in each bin
  std::size_t below = 0;            ///< samples under low
  std::size_t above = 0;            ///< samples over high
  std::size_t not_finite = 0;       ///< NaN and infinities

  std::size_t total() const;             ///< all samples within low..high
  double center(std::size_t bin) const;  ///< the sample in the middle of a bin: for bins by level, that level
  /// counts over total(): they add up to 1. All 0 where total() is 0.
  std::vector<double> probabilities() const;
  /// The share of samples in this bin or a lower one; the last is exactly 1. All 0 where total() is 0.
  std::vector<double> cumulative() const;
};

/// What histogram() counts, and in which bins.
struct HistogramOptions {
  int channel = luma_channel;       ///< 0 is the first; luma_channel the luma, of a gray picture its only channel
  int bins = 0;                     ///< equal parts of low..high, up to 2^24; 0: one a level, or 256 for float data
  std::optional<double> low = {};   ///< lower end; nothing: see histogram()
  std::optional<double> high = {};  ///< upper end; nothing: see histogram()
};

/// The histogram of one channel or of the luma. An end that is not given is 0 (or 1) for an integer source; for float
/// data it is measured, so that nothing of a signed or overshooting picture is left out: 0 (or 1), or the lowest (or
/// highest) sample of the channel, where that lies beyond. The last bin has its upper end in it. Without `bins`, an
/// integer source has one bin a level over 0..1, level k in bin k exactly. InvalidArgument for no such channel, fewer
/// bins than 0 or more than 2^24, or an empty range. O(samples + bins).
[[nodiscard]] Histogram histogram(const ConstView& in, const HistogramOptions& options = {});

/// The comb that a crude stretch of few levels leaves: levels that hold nothing between levels that hold much.
struct HistogramComb {
  std::size_t used = 0;   ///< bins that hold a sample
  std::size_t empty = 0;  ///< empty bins where a smooth histogram would have at least 5 samples
  double share = 0;       ///< empty / bins from the lowest used to the highest used one
  bool found = false;     ///< share of 0.02 and more, in at least 8 places: spikes at the ends alone are no comb
};
/// Looks for a comb. A bin counts as empty by fault where it holds nothing, has used bins within 32 bins on both
/// sides, and the mean count of the bins from one to the other is 5 or more. O(bins).
[[nodiscard]] HistogramComb comb(const Histogram& h);

/// The lowest place between each two neighbors of `peaks` (bin numbers, rising); the middle one of equal places.
[[nodiscard]] std::vector<std::size_t> valleys_between(const Histogram& h, const std::vector<std::size_t>& peaks);

}  // namespace sieve
