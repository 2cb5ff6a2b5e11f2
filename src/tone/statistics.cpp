#include "sieve/tone/statistics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <mutex>
#include <numeric>

#include "core/float_order.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

namespace {

// Of a run of samples: a row, or several where rows are short.
struct RunFigures {
  double low, high, sum, squares;
  std::size_t finite, floor, ceiling, below, above;

  void add(const float* row, int n) {
    for (int x = 0; x < n; ++x) {
      if (!std::isfinite(row[x])) continue;
      const double v = row[x];
      low = finite == 0 ? v : std::min(low, v);
      high = finite == 0 ? v : std::max(high, v);
      ++finite;
      sum += v;
      squares += v * v;
      floor += v <= 0;
      ceiling += v >= 1;
      below += v < 0;
      above += v > 1;
    }
  }
};

}  // namespace

std::vector<ChannelStatistics> statistics(const ConstView& in) {
  require_input(in, "statistics");
  std::vector<ChannelStatistics> all;
  // The figures of a run of one sample would take twenty times its memory.
  constexpr int kRun = 64;
  const int together = std::max(1, kRun / in.width()), count = (in.height() - 1) / together + 1;
  std::vector<RunFigures> runs(static_cast<std::size_t>(count));
  for (int c = 0; c < in.channels(); ++c) {
    parallel_rows(count, RowCost(in.width(), together), [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        RunFigures f{};
        const int end = static_cast<int>(std::min<long long>(in.height(), (i + 1LL) * together));
        for (int y = i * together; y < end; ++y) f.add(in.row(y, c), in.width());
        runs[static_cast<std::size_t>(i)] = f;
      }
    });
    ChannelStatistics s;
    std::size_t finite = 0, floor = 0, ceiling = 0;
    double sum = 0;
    for (const RunFigures& r : runs) {
      if (r.finite == 0) continue;
      s.minimum = finite == 0 ? r.low : std::min(s.minimum, r.low);
      s.maximum = finite == 0 ? r.high : std::max(s.maximum, r.high);
      finite += r.finite;
      sum += r.sum;
      floor += r.floor;
      ceiling += r.ceiling;
      s.below += r.below;
      s.above += r.above;
    }
    s.not_finite = in.shape.pixels() - finite;
    if (finite > 0) {
      const auto n = static_cast<double>(finite);
      s.mean = sum / n;
      // Sum of (v - mean)^2 from each run's own sums: runs are short, so the cancellation stays small.
      double spread = 0;
      for (const RunFigures& r : runs)
        spread += r.squares - 2 * s.mean * r.sum + static_cast<double>(r.finite) * s.mean * s.mean;
      s.deviation = std::sqrt(std::max(0.0, spread / n));
      s.at_floor = static_cast<double>(floor) / n;
      s.at_ceiling = static_cast<double>(ceiling) / n;
    }
    all.push_back(s);
  }
  return all;
}

SampleRange sample_range(const ConstView& in) {
  require_input(in, "sample_range");
  const Ends ends = finite_range(in);
  if (!std::isfinite(ends.low)) throw InvalidArgument("sample_range: the picture has no finite sample");
  return {ends.low, ends.high};
}

namespace {

constexpr std::size_t kHalf = 65536;

// Counts put(key, counts) of every finite color sample; whole-number counts add up the same in any order.
template <class Put>
std::vector<std::uint64_t> count_keys(const ConstView& in, std::size_t bins, Put put) {
  std::vector<std::uint64_t> all(bins);
  std::mutex mutex;
  const int rows = in.height() * in.shape.color_channels();
  parallel_rows(
      rows, in.width(),
      [&](int first, int last) {
        std::vector<std::uint32_t> counts(bins);
        for (int i = first; i < last; ++i) {
          const float* row = in.row(i % in.height(), i / in.height());
          for (int x = 0; x < in.width(); ++x) {
            if (row[x] - row[x] == 0) put(key_of(row[x]), counts.data());
          }
        }
        const std::lock_guard lock(mutex);
        for (std::size_t b = 0; b < bins; ++b) all[b] += counts[b];
      },
      // Few tall strips: each has counts of its own to fill and to add.
      std::max(64, rows / 8));
  return all;
}

// The bin that holds a rank; the rank within it is left in `rank`.
std::size_t find_rank(const std::uint64_t* counts, std::uint64_t& rank) {
  std::size_t b = 0;
  while (rank >= counts[b]) rank -= counts[b++];
  return b;
}

}  // namespace

double percentile(const ConstView& in, double share) { return percentiles(in, std::span(&share, 1))[0]; }

// By radix: the upper halves of all keys are counted, then the lower halves of those in the wanted bins.
std::vector<double> percentiles(const ConstView& in, std::span<const double> shares) {
  require_input(in, "percentile");
  for (const double share : shares) {
    if (!(share >= 0 && share <= 1)) throw InvalidArgument(fmt::format("percentile: share={}: give 0 to 1", share));
  }
  const auto upper = count_keys(in, kHalf, [](std::uint32_t key, std::uint32_t* counts) { ++counts[key >> 16]; });
  const std::uint64_t n = std::accumulate(upper.begin(), upper.end(), std::uint64_t{0});
  if (n == 0) throw InvalidArgument("percentile: the picture has no finite sample");
  std::vector<std::uint64_t> ranks;
  std::vector<std::uint32_t> bins;
  for (const double share : shares) {
    const double place = share * static_cast<double>(n - 1);
    std::uint64_t rank = static_cast<std::uint64_t>(share <= 0.5 ? std::floor(place) : std::ceil(place));
    bins.push_back(static_cast<std::uint32_t>(find_rank(upper.data(), rank)));
    ranks.push_back(rank);
  }
  std::vector<std::uint32_t> wanted = bins;
  std::sort(wanted.begin(), wanted.end());
  wanted.erase(std::unique(wanted.begin(), wanted.end()), wanted.end());
  const auto lower = count_keys(in, kHalf * wanted.size(), [&](std::uint32_t key, std::uint32_t* counts) {
    for (std::size_t i = 0; i < wanted.size(); ++i) {
      if (key >> 16 == wanted[i]) ++counts[i * kHalf + (key & 0xffff)];
    }
  });
  std::vector<double> values;
  for (std::size_t i = 0; i < shares.size(); ++i) {
    const auto slot =
        static_cast<std::size_t>(std::lower_bound(wanted.begin(), wanted.end(), bins[i]) - wanted.begin());
    values.push_back(static_cast<double>(
        float_of(bins[i] << 16 | static_cast<std::uint32_t>(find_rank(lower.data() + slot * kHalf, ranks[i])))));
  }
  return values;
}

}  // namespace sieve
