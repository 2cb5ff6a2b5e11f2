#include "sieve/spatial/rank.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "core/workspace.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "spatial/extremes.hpp"
#include "spatial/rank_tile.hpp"
#include "spatial/window_runs.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr bool kLeast[] = {false}, kMost[] = {true}, kLeastThenMost[] = {false, true}, kMostThenLeast[] = {true, false};

template <class F>
Scratch<WindowOffset> window_of(const F& f) {
  return scratch_offsets(description_of<F>().name.c_str(), f.shape, f.radius, f.footprint);
}

template <class F>
bool is_square(const F& f) {
  return f.shape == WindowShape::square && f.footprint.empty();
}

template <class F>
std::string meaning_of(const F& f) {
  const auto window = window_of(f);
  if (is_square(f)) return fmt::format("window {0}x{0}", 2 * static_cast<int>(f.radius) + 1);
  return fmt::format("window of {0} pixels in {1}x{1}", window.size(), 2 * reach_of(window) + 1);
}

// work(channel, result) for every color channel, after the checks that all share.
template <class F, class Work>
void each_channel(const F& f, const ConstView& in, const View& out, Work work) {
  validate(f, in, out);
  for (int c = 0; c < in.shape.color_channels(); ++c) work(in.channel(c), out.channel(c));
  copy_alpha(in, out);
}

// What the filters that take any window have in common.
template <class F>
void describe_window(Description<F>& d, double most) {
  d.window([](const F& f) { return reach_of(window_of(f)); });
  d.meaning(meaning_of<F>);
  d.field("radius", &F::radius, "pixels", "half-width of the window: a square has 2 radius + 1 pixels a side",
          {0, most});
  d.field("shape", &F::shape, "", "form of the window");
  d.field("footprint", &F::footprint, "", "a window of one's own instead: rows of 0 and 1");
}
template <class F>
void one_extreme(const F& f, const ConstView& in, const View& out, bool maximum) {
  each_channel(f, in, out, [&](const ConstView& from, const View& to) {
    if (is_square(f)) {
      window_of(f);
      extremes(from, static_cast<int>(f.radius), maximum ? kMost : kLeast, f.border, fill_of(f), to);
    } else {
      extremes_of(from, window_of(f), maximum, f.border, fill_of(f), to);
    }
  });
}

// The sample of a rank, by the way that suits the window.
template <class F>
void ranked(const F& f, const ConstView& in, const View& out, std::uint32_t rank) {
  const auto window = window_of(f);
  each_channel(f, in, out, [&](const ConstView& from, const View& to) {
    const int radius = static_cast<int>(f.radius);
    if (!is_square(f)) {
      rank_any(from, window, rank, f.border, fill_of(f), to);
    } else if (radius == 0) {
      extremes(from, 0, kLeast, f.border, fill_of(f), to);
    } else if (radius <= 3 && rank == window.size() / 2) {
      median_small(from, radius, f.border, fill_of(f), to);
    } else {
      rank_square(from, radius, rank, f.border, fill_of(f), to);
    }
  });
}

// f(samples of the window, in any order) for every pixel; NaN is +infinity. Slow: for what cannot be had otherwise.
template <class Value>
void each_window(const ConstView& in, std::span<const WindowOffset> window, Border border, float fill, const View& out,
                 Value value) {
  const int reach = reach_of(window), wide = in.width() + 2 * reach;
  parallel_rows(
      in.height(), RowCost(static_cast<std::size_t>(in.width()) * window.size(), 4), [&](int first, int last) {
        Scratch<float> rows(static_cast<std::size_t>(wide) * static_cast<std::size_t>(last - first + 2 * reach)),
            samples(window.size());
        fill_window_rows(in, first - reach, last - first + 2 * reach, reach, border, fill, rows.data(), wide);
        for (float& v : rows) v = std::isnan(v) ? std::numeric_limits<float>::infinity() : v;
        Scratch<std::ptrdiff_t> places;
        for (const WindowOffset& o : window) places.push_back(static_cast<std::ptrdiff_t>(o.dy) * wide + o.dx);
        for (int y = first; y < last; ++y) {
          const float* center = rows.data() + static_cast<std::ptrdiff_t>(y - first + reach) * wide + reach;
          for (int x = 0; x < in.width(); ++x, ++center) {
            for (std::size_t i = 0; i < places.size(); ++i) samples[i] = center[places[i]];
            out.at(x, y) = value(samples, *center);
          }
        }
      });
}

std::uint32_t rank_of_share(float share, std::size_t n) {
  return static_cast<std::uint32_t>(std::floor(static_cast<double>(share) * static_cast<double>(n - 1) + 0.5));
}

std::size_t dropped(float share, std::size_t n) {
  return static_cast<std::size_t>(std::floor(static_cast<double>(share) * static_cast<double>(n) / 2 + 1e-9));
}

}  // namespace

Image Minimum::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Minimum::operator()(const ConstView& in, const View& out) const { one_extreme(*this, in, out, false); }
void Minimum::describe(Description<Minimum>& d) {
  d.called("minimum", "rank", "The smallest sample of the window: dark parts grow, small bright ones vanish.");
  d.also({"erode", "erosion", "morphology", "shrink"});
  d.wrong("sizes must stay: dark objects grow by the radius on each side; take opening.");
  describe_window(d, 2047);
  d.border(&Minimum::border, &Minimum::fill);
}

Image Maximum::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Maximum::operator()(const ConstView& in, const View& out) const { one_extreme(*this, in, out, true); }
void Maximum::describe(Description<Maximum>& d) {
  d.called("maximum", "rank", "The largest sample of the window: bright parts grow, small dark ones vanish.");
  d.also({"dilate", "dilation", "morphology", "grow"});
  d.wrong("sizes must stay: bright objects grow by the radius on each side; take closing.");
  describe_window(d, 2047);
  d.border(&Maximum::border, &Maximum::fill);
}

Image Midpoint::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Midpoint::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Image least = Minimum{radius, shape, footprint, border, fill}(in);
  Maximum{radius, shape, footprint, border, fill}(in, out);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    parallel_rows(in.height(), in.width(), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float* a = least.row(y, c);
        float* r = out.row(y, c);
        for (int x = 0; x < in.width(); ++x) r[x] = 0.5F * a[x] + 0.5F * r[x];
      }
    });
  }
}
void Midpoint::describe(Description<Midpoint>& d) {
  d.called("midpoint", "rank",
           "Half-way between the smallest and the largest sample of the window: for noise of even distribution.");
  d.also({"mid-range"});
  d.wrong("there are impulses: a single one moves every window that holds it; take median.");
  describe_window(d, 2047);
  d.border(&Midpoint::border, &Midpoint::fill);
}

Image Median::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Median::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  const std::size_t n = window_of(*this).size();
  ranked(*this, in, out, static_cast<std::uint32_t>((n - 1) / 2));
}
void Median::describe(Description<Median>& d) {
  d.called("median", "rank", "The middle sample of the window: drops impulses and keeps edges.");
  d.also({"salt and pepper", "salt", "pepper", "impulses", "despeckle", "outliers", "denoise"});
  d.wrong(
      "the noise is fine grain without outliers: a Gaussian or an edge-preserving filter leaves less of it; thin lines "
      "must stay.");
  d.reads_around();
  describe_window(d, 127);
  d.border(&Median::border, &Median::fill);
}

Image Percentile::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Percentile::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  ranked(*this, in, out, rank_of_share(share, window_of(*this).size()));
}
void Percentile::describe(Description<Percentile>& d) {
  d.called("percentile", "rank", "The sample below which a share of the window lies: a softer minimum or maximum.");
  d.also({"quantile", "rank", "order statistic"});
  d.wrong("the middle is wanted: median is the same at share=0.5 and faster for small windows.");
  d.reads_around();
  describe_window(d, 127);
  d.field("share", &Percentile::share, "share", "of the window that lies below: 0 minimum, 0.5 median, 1 maximum",
          {0, 1});
  d.border(&Percentile::border, &Percentile::fill);
}

Image AlphaTrimmedMean::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void AlphaTrimmedMean::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  const auto window = window_of(*this);
  const std::size_t cut = dropped(share, window.size());
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    each_window(from, window, border, fill_of(*this), to, [cut](Scratch<float>& all, float) {
      const auto low = all.begin() + static_cast<std::ptrdiff_t>(cut),
                 high = all.end() - static_cast<std::ptrdiff_t>(cut);
      if (cut > 0) {
        std::nth_element(all.begin(), low, all.end());
        std::nth_element(low, high - 1, all.end());
      }
      double sum = 0;
      for (auto v = low; v != high; ++v) sum += static_cast<double>(*v);
      return static_cast<float>(sum / static_cast<double>(high - low));
    });
  });
}
void AlphaTrimmedMean::describe(Description<AlphaTrimmedMean>& d) {
  d.called("alpha_trimmed_mean", "rank",
           "The mean of the window without its smallest and largest samples: for grain and impulses at once.");
  d.also({"trimmed mean", "truncated mean"});
  d.wrong("there is one kind of noise only: the mean or the median alone does better.");
  d.reads_around();
  describe_window(d, 31);
  d.meaning([](const AlphaTrimmedMean& f) {
    const std::size_t n = window_of(f).size();
    return fmt::format("{}, the mean of {} of them", meaning_of(f), n - 2 * dropped(f.share, n));
  });
  d.field("share", &AlphaTrimmedMean::share, "share", "dropped at both ends together", {0, 0.99});
  d.border(&AlphaTrimmedMean::border, &AlphaTrimmedMean::fill);
}

namespace {

Scratch<WindowOffset> places_of(const WeightedMedian& f) {
  Scratch<WindowOffset> places;
  double sum = 0;
  for (int y = 0; y < f.weights.height(); ++y) {
    for (int x = 0; x < f.weights.width(); ++x) {
      const double w = f.weights.at(x, y);
      if (!(w >= 0) || !std::isfinite(w))
        throw InvalidArgument(fmt::format("weighted_median: weight {} at {},{}: weights are 0 or more", w, x, y));
      sum += w;
      if (w > 0) places.push_back({x - f.weights.anchor_x(), y - f.weights.anchor_y()});
    }
  }
  if (!(sum > 0)) throw InvalidArgument("weighted_median: the weights add up to 0; give one above 0");
  return places;
}

Scratch<double> weights_of(const WeightedMedian& f) {
  Scratch<double> all;
  for (const double w : f.weights.taps()) {
    if (w > 0) all.push_back(w);
  }
  return all;
}

}  // namespace

Image WeightedMedian::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void WeightedMedian::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  const auto places = places_of(*this);
  const auto all = weights_of(*this);
  double half = 0;
  for (const double w : all) half += 0.5 * w;
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    each_window(from, places, border, fill_of(*this), to, [&](const Scratch<float>& samples, float) {
      Scratch<std::pair<float, double>> pairs;
      pairs.reserve(samples.size());
      for (std::size_t i = 0; i < samples.size(); ++i) pairs.emplace_back(samples[i], all[i]);
      std::sort(pairs.begin(), pairs.end());
      double sum = 0;
      for (const auto& [v, w] : pairs) {
        sum += w;
        if (sum >= half) return v;
      }
      return pairs.back().first;
    });
  });
}
void WeightedMedian::describe(Description<WeightedMedian>& d) {
  d.called("weighted_median", "rank",
           "The median with weights: near pixels count more, so that corners and lines last longer.");
  d.also({"denoise"});
  d.wrong("impulses are dense: the heavy middle keeps them; take median or adaptive_median.");
  d.reads_around();
  d.window([](const WeightedMedian& f) { return reach_of(places_of(f)); });
  d.meaning([](const WeightedMedian& f) { return fmt::format("window {}x{}", f.weights.width(), f.weights.height()); });
  d.field("weights", &WeightedMedian::weights, "", "a kernel of weights, 0 or more");
  d.border(&WeightedMedian::border, &WeightedMedian::fill);
}

Image Opening::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Opening::operator()(const ConstView& in, const View& out) const {
  each_channel(*this, in, out, [this](const ConstView& from, const View& to) {
    extremes(from, whole(radius), kLeastThenMost, border, fill_of(*this), to);
  });
}
void Opening::describe(Description<Opening>& d) {
  d.called("opening", "rank",
           "Takes bright objects away that are narrower than the window; the rest keeps its outline.");
  d.also({"morphology", "open", "top hat", "remove spots"});
  d.wrong(
      "the objects are dark: take closing; the wanted background is smooth: background by=opening smooths the steps, "
      "too.");
  d.window([](const Opening& f) { return 2 * whole(f.radius); });
  d.meaning([](const Opening& f) { return fmt::format("window {0}x{0}", 2 * f.radius + 1); });
  d.whole("radius", &Opening::radius, "pixels", "half-width: objects narrower than 2 radius + 1 pixels vanish",
          {0, 2047});
  d.border(&Opening::border, &Opening::fill);
}

Image Closing::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Closing::operator()(const ConstView& in, const View& out) const {
  each_channel(*this, in, out, [this](const ConstView& from, const View& to) {
    extremes(from, whole(radius), kMostThenLeast, border, fill_of(*this), to);
  });
}
void Closing::describe(Description<Closing>& d) {
  d.called("closing", "rank", "Takes dark objects away that are narrower than the window; the rest keeps its outline.");
  d.also({"morphology", "close", "fill holes"});
  d.wrong("the objects are bright: take opening.");
  d.window([](const Closing& f) { return 2 * whole(f.radius); });
  d.meaning([](const Closing& f) { return fmt::format("window {0}x{0}", 2 * f.radius + 1); });
  d.whole("radius", &Closing::radius, "pixels", "half-width: objects narrower than 2 radius + 1 pixels vanish",
          {0, 2047});
  d.border(&Closing::border, &Closing::fill);
}

}  // namespace sieve
