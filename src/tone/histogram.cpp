#include "sieve/tone/histogram.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <bit>
#include <cmath>
#include <mutex>
#include <numeric>
#include <optional>

#include "core/rows.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"
#include "tone/level_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

namespace {

// Runs of equal levels would wait for their own counter: four in turns do not. Large tables are one, to stay in cache.
constexpr std::int32_t kLanesUpTo = 1024;
// Samples whose bins are found, then counted, while they are in the nearest cache.
constexpr std::size_t kChunk = 1024;

lanes::Bins bins_for(const ConstView& in, int bins, double low, double high) {
  const bool by_level = bins == 0 && in.white_level > 0 && low == 0 && high == 1;
  if (by_level)
    return {0, 1, static_cast<double>(in.white_level), 0.5, static_cast<std::int32_t>(in.white_level) + 1, false};
  const int count = bins == 0 ? 256 : bins;
  // Products with a power of two are exact in single precision.
  const bool exact = low != 0 || high != 1 || !std::has_single_bit(static_cast<unsigned>(count));
  return {low, high, count / (high - low), 0, count, exact};
}

}  // namespace

std::size_t Histogram::total() const { return std::accumulate(counts.begin(), counts.end(), std::size_t{0}); }

double Histogram::center(std::size_t bin) const {
  const auto n = static_cast<double>(counts.size()), k = static_cast<double>(bin);
  return by_level ? k / (n - 1) : low + (k + 0.5) * (high - low) / n;
}

std::vector<double> Histogram::probabilities() const {
  const auto all = static_cast<double>(std::max<std::size_t>(total(), 1));
  std::vector<double> p;
  p.reserve(counts.size());
  for (const std::size_t n : counts) p.push_back(static_cast<double>(n) / all);
  return p;
}

std::vector<double> Histogram::cumulative() const {
  const auto all = static_cast<double>(std::max<std::size_t>(total(), 1));
  std::vector<double> c;
  c.reserve(counts.size());
  std::size_t sum = 0;
  for (const std::size_t n : counts) c.push_back(static_cast<double>(sum += n) / all);
  return c;
}

namespace {

struct Span {
  double low, high;
};

// The samples of a channel, or of the luma, in bins. With `stop_outside` it ends early, and gives nothing back, where a
// sample lies outside of them.
std::optional<Histogram> count(const ConstView& in, int channel, int bins, Span range, bool stop_outside) {
  const lanes::Bins where = bins_for(in, bins, range.low, range.high);
  const bool mixed = channel == luma_channel && in.shape.color_channels() == 3;
  const int plane = std::max(channel, 0);
  const auto slots = static_cast<std::size_t>(where.count) + 3, width = static_cast<std::size_t>(in.width());
  const std::size_t tables = where.count <= kLanesUpTo ? 4 : 1;
  std::vector<std::size_t> all(slots);
  std::mutex mutex;
  std::atomic<bool> outside = false;
  parallel_rows(
      in.height(), width,
      [&](int first, int last) {
        std::vector<std::uint32_t> counts(slots * tables);
        std::array<std::int32_t, kChunk> numbers;
        std::vector<float> mix(mixed ? width : 0);
        std::uint32_t* const a = counts.data();
        std::uint32_t *const b = a + (tables > 1 ? slots : 0), *const c = a + (tables > 1 ? 2 * slots : 0),
                             *const d = a + (tables > 1 ? 3 * slots : 0);
        const auto add = [&](const float* run, std::size_t samples) {
          if (outside) return;
          for (std::size_t from = 0; from < samples; from += kChunk) {
            const std::size_t n = std::min(kChunk, samples - from);
            lanes::bin_numbers(run + from, where, numbers.data(), n);
            std::size_t x = 0;
            for (; x + 4 <= n; x += 4) {
              ++a[numbers[x]];
              ++b[numbers[x + 1]];
              ++c[numbers[x + 2]];
              ++d[numbers[x + 3]];
            }
            for (; x < n; ++x) ++a[numbers[x]];
          }
          for (std::size_t i = 0; i < tables && stop_outside; ++i) {
            const std::uint32_t* table = a + i * slots;
            if (table[where.count] + table[where.count + 1] > 0) outside = true;
          }
        };
        if (mixed) {
          for (int y = first; y < last; ++y) {
            lanes::luma(in.row(y, 0), in.row(y, 1), in.row(y, 2), mix.data(), width);
            add(mix.data(), width);
          }
        } else {
          rows::each_run(in.channel(plane), first, last, add);
        }
        if (outside) return;
        const std::lock_guard lock(mutex);
        for (std::size_t i = 0; i < slots * tables; ++i) all[i % slots] += counts[i];
      },
      // Few tall strips: each has counts of its own to fill and to add.
      std::max(64, in.height() / 8));
  if (outside) return std::nullopt;
  Histogram h;
  h.low = range.low;
  h.high = range.high;
  h.by_level = where.offset != 0;
  h.not_finite = all[slots - 1];
  h.above = all[slots - 2];
  h.below = all[slots - 3];
  all.resize(slots - 3);
  h.counts = std::move(all);
  return h;
}

}  // namespace

Histogram histogram(const ConstView& in, const HistogramOptions& options) {
  require_input(in, "histogram");
  const int channel = options.channel, bins = options.bins;
  if (channel < luma_channel || channel >= in.channels()) {
    throw InvalidArgument(fmt::format("histogram: no channel {}; the picture has 0..{}, and luma is {}", channel,
                                      in.channels() - 1, luma_channel));
  }
  if (bins < 0 || bins > (1 << 24))
    throw InvalidArgument(fmt::format("histogram: bins={}: give 1 to 16777216, or 0 for one a level", bins));
  double low = options.low.value_or(0), high = options.high.value_or(1);
  if (in.white_level == 0 && !(options.low && options.high)) {
    // Most pictures lie within 0..1, and are counted at once.
    if (low < high) {
      if (auto h = count(in, channel, bins, {low, high}, true)) return std::move(*h);
    }
    const Ends ends = finite_range(in, channel);
    if (!options.low && std::isfinite(ends.low)) low = std::min(low, static_cast<double>(ends.low));
    if (!options.high && std::isfinite(ends.high)) high = std::max(high, static_cast<double>(ends.high));
  }
  if (!(low < high))
    throw InvalidArgument(fmt::format("histogram: the range {}..{} is empty; give low < high", low, high));
  return *count(in, channel, bins, {low, high}, false);
}

HistogramComb comb(const Histogram& h) {
  constexpr std::size_t kWithin = 32;
  constexpr std::size_t kTeeth = 8;
  constexpr double kLeast = 5;
  HistogramComb c;
  std::size_t first = 0, previous = 0, gaps = 0;
  for (std::size_t i = 0; i < h.counts.size(); ++i) {
    if (h.counts[i] == 0) continue;
    if (c.used++ == 0) first = i;
    const std::size_t gap = i - previous;
    if (c.used > 1 && gap > 1 && gap <= kWithin &&
        static_cast<double>(h.counts[i] + h.counts[previous]) >= kLeast * static_cast<double>(gap + 1)) {
      c.empty += gap - 1;
      ++gaps;
    }
    previous = i;
  }
  if (c.used > 1) c.share = static_cast<double>(c.empty) / static_cast<double>(previous - first + 1);
  c.found = c.share >= 0.02 && gaps >= kTeeth;
  return c;
}

std::vector<std::size_t> valleys_between(const Histogram& h, const std::vector<std::size_t>& peaks) {
  std::vector<std::size_t> valleys;
  for (std::size_t i = 0; i + 1 < peaks.size(); ++i) {
    const auto from = h.counts.begin() + static_cast<std::ptrdiff_t>(peaks[i]),
               to = h.counts.begin() + static_cast<std::ptrdiff_t>(peaks[i + 1]);
    const std::size_t least = *std::min_element(from, to);
    // Empty stretches are long: their middle is the best place to cut.
    auto start = std::find(from, to, least), longest = start;
    std::ptrdiff_t most = 0;
    while (start != to) {
      const auto end = std::find_if(start, to, [&](std::size_t n) { return n != least; });
      if (end - start > most) {
        most = end - start;
        longest = start;
      }
      start = std::find(end, to, least);
    }
    valleys.push_back(static_cast<std::size_t>(longest - h.counts.begin() + most / 2));
  }
  return valleys;
}

}  // namespace sieve
