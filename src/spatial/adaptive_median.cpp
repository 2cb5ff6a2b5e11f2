#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/workspace.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/rank.hpp"
#include "spatial/extremes.hpp"
#include "spatial/median_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kLargest = 31;
using Samples = std::array<float, (2 * kLargest + 1) * (2 * kLargest + 1)>;

// The samples around a pixel, NaN being +infinity.
class Around {
 public:
  Around(const float* center, std::ptrdiff_t stride) : center_(center), stride_(stride) {}
  float center() const { return *center_; }
  // take(sample) for each at the distance r from 1 on, by the larger of both coordinates.
  template <class Take>
  void ring(int r, Take take) const {
    for (int dx = -r; dx <= r; ++dx) {
      take(center_[-r * stride_ + dx]);
      take(center_[r * stride_ + dx]);
    }
    for (int dy = 1 - r; dy < r; ++dy) {
      take(center_[dy * stride_ - r]);
      take(center_[dy * stride_ + r]);
    }
  }

 private:
  const float* center_;
  std::ptrdiff_t stride_;
};

// The median of the smallest window whose median is neither its smallest nor its largest sample, or of the largest.
// `v` is the smallest or the largest sample of that.
float steady_median(const Around& around, float v, int largest, Samples& samples) {
  std::size_t n = 0, equal = 0;
  const auto take = [&](float s) {
    samples[n++] = s;
    equal += s == v;
  };
  take(around.center());
  float median = v;
  for (int r = 1; r <= largest; ++r) {
    around.ring(r, take);
    // Where most samples are v, so is the median, and it is an extreme: flat parts at the ends of the range need no
    // more.
    if (equal > n / 2) {
      median = v;
      continue;
    }
    const auto begin = samples.begin(), middle = begin + static_cast<std::ptrdiff_t>(n / 2),
               end = begin + static_cast<std::ptrdiff_t>(n);
    std::nth_element(begin, middle, end);
    median = *middle;
    if (*std::min_element(begin, middle + 1) < median && median < *std::max_element(middle, end)) break;
  }
  return median;
}

// The median of those samples between the extremes in the smallest window that has any; else `median`.
float median_between(const Around& around, float lowest, float highest, int largest, float median, Samples& samples) {
  std::size_t n = 0;
  const auto take = [&](float s) {
    samples[n] = s;
    n += lowest < s && s < highest;
  };
  for (int r = 1; r <= largest && n == 0; ++r) around.ring(r, take);
  if (n == 0) return median;
  std::sort(samples.begin(), samples.begin() + static_cast<std::ptrdiff_t>(n));
  return static_cast<float>((static_cast<double>(samples[(n - 1) / 2]) + static_cast<double>(samples[n / 2])) / 2);
}

}  // namespace

Image AdaptiveMedian::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void AdaptiveMedian::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const int largest = whole(radius);
  constexpr bool kLeast[] = {false}, kMost[] = {true};
  const std::ptrdiff_t stride = static_cast<std::ptrdiff_t>(in.width()) + 2 * largest;
  Image lows(Shape{in.width(), in.height(), 1}), most(lows.shape());
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView from = in.channel(c);
    extremes(from, largest, kLeast, border, fill_of(*this), lows.view());
    extremes(from, largest, kMost, border, fill_of(*this), most.view());
    parallel_rows(
        in.height(), RowCost(in.width(), 20),
        [&](int first, int last) {
          const int rows = last - first + 2 * largest;
          const WindowRows around(rows, stride);
          fill_window_rows(from, first - largest, rows, largest, border, fill_of(*this), around.data(), stride);
          lanes::replace_nan(around.data(), static_cast<std::size_t>(stride * rows));
          Samples samples;
          for (int y = first; y < last; ++y) {
            checkpoint();
            const float *row = from.row(y, 0), *low = lows.view().row(y, 0), *high = most.view().row(y, 0);
            float* to = out.row(y, c);
            for (int x = 0; x < in.width(); ++x) {
              const float v = row[x];
              to[x] = v;
              if ((low[x] < v && v < high[x]) || low[x] == high[x]) continue;
              const Around here(around.data() + (y - first + largest) * stride + largest + x, stride);
              const float median = steady_median(here, v, largest, samples);
              if (std::fabs(v - median) <= least) continue;
              to[x] = median_between(here, low[x], high[x], largest, median, samples);
            }
          }
        },
        window_strip(in.width(), in.height(), largest));
  }
  copy_alpha(in, out);
}
void AdaptiveMedian::describe(Description<AdaptiveMedian>& d) {
  d.called("adaptive_median", "rank",
           "A median whose window grows only where it must, and which leaves good pixels alone.");
  d.also({"salt and pepper", "impulses", "despeckle", "outliers"});
  d.wrong(
      "the noise is grain, or impulses of any level: it keeps every pixel that is no extreme of its surroundings; take "
      "median for the latter.");
  d.window([](const AdaptiveMedian& f) { return whole(f.radius); });
  d.meaning([](const AdaptiveMedian& f) { return fmt::format("windows 3x3 to {0}x{0}", 2 * f.radius + 1); });
  d.whole("radius", &AdaptiveMedian::radius, "pixels",
          "half-width of the largest window, of which an impulse is an extreme", {1, kLargest});
  d.field("least", &AdaptiveMedian::least, "0..1 scale", "how far an impulse lies from the median at least", {0, 1});
  d.border(&AdaptiveMedian::border, &AdaptiveMedian::fill);
}

}  // namespace sieve
