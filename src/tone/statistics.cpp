#include "sieve/tone/statistics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numeric>

#include "sieve/core/channels.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

namespace {

struct RowFigures {
  double low, high, sum, squares;
  std::size_t finite, floor, ceiling, below, above;
};

RowFigures figures(const float* row, int n) {
  RowFigures f{};
  for (int x = 0; x < n; ++x) {
    if (!std::isfinite(row[x])) continue;
    const double v = row[x];
    f.low = f.finite == 0 ? v : std::min(f.low, v);
    f.high = f.finite == 0 ? v : std::max(f.high, v);
    ++f.finite;
    f.sum += v;
    f.squares += v * v;
    f.floor += v <= 0;
    f.ceiling += v >= 1;
    f.below += v < 0;
    f.above += v > 1;
  }
  return f;
}

}  // namespace

std::vector<ChannelStatistics> statistics(const ConstView& in) {
  require_input(in, "statistics");
  std::vector<ChannelStatistics> all;
  std::vector<RowFigures> rows(static_cast<std::size_t>(in.height()));
  for (int c = 0; c < in.channels(); ++c) {
    parallel_rows(in.height(), static_cast<std::size_t>(in.width()), [&](int first, int last) {
      for (int y = first; y < last; ++y) rows[static_cast<std::size_t>(y)] = figures(in.row(y, c), in.width());
    });
    ChannelStatistics s;
    std::size_t finite = 0, floor = 0, ceiling = 0;
    double sum = 0;
    for (const RowFigures& r : rows) {
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
      // Sum of (v - mean)^2 from each row's own sums: rows are short, so the cancellation stays small.
      double spread = 0;
      for (const RowFigures& r : rows) spread += r.squares - 2 * s.mean * r.sum + static_cast<double>(r.finite) * s.mean * s.mean;
      s.deviation = std::sqrt(std::max(0.0, spread / n));
      s.at_floor = static_cast<double>(floor) / n;
      s.at_ceiling = static_cast<double>(ceiling) / n;
    }
    all.push_back(s);
  }
  return all;
}

std::size_t Histogram::total() const { return std::accumulate(counts.begin(), counts.end(), std::size_t{0}); }

Histogram histogram(const ConstView& in, int channel, int bins, double low, double high) {
  require_input(in, "histogram");
  if (channel < 0 || channel >= in.channels()) {
    throw BadCall(fmt::format("histogram: no channel {}; the picture has 0..{}", channel, in.channels() - 1));
  }
  if (bins < 0 || bins > (1 << 24)) throw BadCall(fmt::format("histogram: bins={}: give 1 to 16777216, or 0 for one a level", bins));
  if (!(low < high)) throw BadCall(fmt::format("histogram: the range {}..{} is empty; give low < high", low, high));
  Histogram h;
  h.low = low;
  h.high = high;
  // One bin a level: bins lie about the levels k / maximum, so the two end bins reach half a level beyond 0 and 1.
  const bool by_level = bins == 0 && in.maximum > 0;
  const int count = by_level ? static_cast<int>(in.maximum) + 1 : bins == 0 ? 256 : bins;
  h.counts.assign(static_cast<std::size_t>(count), 0);
  const double scale = by_level ? in.maximum / (high - low) : count / (high - low);
  for (int y = 0; y < in.height(); ++y) {
    const float* row = in.row(y, channel);
    for (int x = 0; x < in.width(); ++x) {
      const double v = row[x];
      if (!std::isfinite(v)) {
        ++h.not_finite;
      } else if (v < low) {
        ++h.below;
      } else if (v > high) {
        ++h.above;
      } else {
        const double place = by_level ? std::floor((v - low) * scale + 0.5) : std::floor((v - low) * scale);
        ++h.counts[static_cast<std::size_t>(std::min(place, count - 1.0))];
      }
    }
  }
  return h;
}

double percentile(const ConstView& in, double share) {
  require_input(in, "percentile");
  if (!(share >= 0 && share <= 1)) throw BadCall(fmt::format("percentile: share={}: give 0 to 1", share));
  std::vector<float> v;
  v.reserve(in.shape.pixels() * static_cast<std::size_t>(in.shape.color_channels()));
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      const float* row = in.row(y, c);
      for (int x = 0; x < in.width(); ++x) {
        if (std::isfinite(row[x])) v.push_back(row[x]);
      }
    }
  }
  if (v.empty()) throw BadCall("percentile: the picture has no finite sample");
  const double place = share * static_cast<double>(v.size() - 1);
  const auto rank = static_cast<std::ptrdiff_t>(share <= 0.5 ? std::floor(place) : std::ceil(place));
  std::nth_element(v.begin(), v.begin() + rank, v.end());
  return v[static_cast<std::size_t>(rank)];
}

Exposure exposure(const ConstView& in) {
  const Image gray = to_gray(in);
  const ChannelStatistics s = statistics(gray)[0];
  if (s.not_finite == gray.shape().pixels()) return {"unreadable", "no sample is a finite number", 0, 0, 0};
  const ConstView luma = gray.view().channel(0);
  Exposure e{"balanced", "", percentile(luma, 0.5), percentile(luma, 0.01), percentile(luma, 0.99)};
  const auto because = [&](const char* verdict, std::string reason) {
    e.verdict = verdict;
    e.reason = std::move(reason);
  };
  const double span = e.high - e.low;
  if (e.median < 0.15 || s.at_floor >= 0.5) {
    because("too dark", fmt::format("median {:.3f} (too dark under 0.15), {:.1f} % of the samples at the floor", e.median, 100 * s.at_floor));
  } else if (e.median > 0.85 || s.at_ceiling >= 0.1) {
    because("too bright", fmt::format("median {:.3f} (too bright over 0.85), {:.1f} % of the samples at the ceiling", e.median, 100 * s.at_ceiling));
  } else if (span < 0.4) {
    because("low contrast", fmt::format("the middle 98 % of the samples span {:.3f} (low under 0.4)", span));
  } else {
    because("balanced", fmt::format("median {:.3f}, the middle 98 % of the samples span {:.3f}", e.median, span));
  }
  return e;
}

}  // namespace sieve
