#include "sieve/spatial/rank.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <vector>

#include "core/run.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/reference.hpp"
#include "spatial/extremes.hpp"
#include "spatial/rank_tile.hpp"
#include "spatial/window_runs.hpp"

namespace sieve {

namespace {

constexpr bool kLeast[] = {false}, kMost[] = {true}, kLeastThenMost[] = {false, true}, kMostThenLeast[] = {true, false};

template <class F>
std::vector<Offset> window_of(const F& f) {
  return window_offsets(description_of<F>().name.c_str(), f.shape, f.radius, f.footprint);
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
  ready(f, in, out);
  if constexpr (requires { f.border; }) {
    if (f.border == Border::inside)
      throw BadCall(
          fmt::format("{}: border=inside is not for windows that sort; crop the result", description_of<F>().name));
  }
  for (int c = 0; c < in.shape.color_channels(); ++c) work(in.channel(c), out.channel(c));
  copy_alpha(in, out);
}

template <class F>
float fill_of(const F& f) {
  return f.border == Border::constant ? f.fill : 0;
}

template <class F>
void window_fields(Description<F>& d, double most) {
  d.field("radius", &F::radius, "pixels", "half-width of the window: a square has 2 radius + 1 pixels a side",
          {0, most});
  d.field("shape", &F::shape, "", "form of the window");
  d.field("footprint", &F::footprint, "", "a window of one's own instead: rows of 0 and 1");
}
template <class F>
void border_fields(Description<F>& d) {
  d.field("border", &F::border, "", "what lies beyond the picture, not inside");
  d.field("fill", &F::fill, "0..1 scale", "the sample beyond the picture with border=constant");
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
void each_window(const ConstView& in, const std::vector<Offset>& window, Border border, float fill, const View& out,
                 Value value) {
  const int reach = reach_of(window), wide = in.width() + 2 * reach;
  parallel_rows(in.height(), static_cast<std::size_t>(in.width()) * window.size() * 4, [&](int first, int last) {
    std::vector<float> rows(static_cast<std::size_t>(wide) * static_cast<std::size_t>(last - first + 2 * reach)),
        samples(window.size());
    fill_window_rows(in, first - reach, last - first + 2 * reach, reach, border, fill, rows.data(), wide);
    for (float& v : rows) v = std::isnan(v) ? std::numeric_limits<float>::infinity() : v;
    std::vector<std::ptrdiff_t> places;
    for (const Offset& o : window) places.push_back(static_cast<std::ptrdiff_t>(o.dy) * wide + o.dx);
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

Image Minimum::operator()(const ConstView& in) const { return made(*this, in); }
void Minimum::operator()(const ConstView& in, const View& out) const { one_extreme(*this, in, out, false); }
Image Minimum::plain(const ConstView& in) const {
  return reference::ranked(in, window_of(*this), border, fill,
                           [](const std::vector<double>& sorted) { return sorted.front(); });
}
int Minimum::reach() const { return reach_of(window_of(*this)); }
std::string Minimum::meaning() const { return meaning_of(*this); }
void Minimum::describe(Description<Minimum>& d) {
  d.called("minimum", "rank", "The smallest sample of the window: dark parts grow, small bright ones vanish.");
  d.wrong("sizes must stay: dark objects grow by the radius on each side; take opening.");
  window_fields(d, 2047);
  border_fields(d);
}

Image Maximum::operator()(const ConstView& in) const { return made(*this, in); }
void Maximum::operator()(const ConstView& in, const View& out) const { one_extreme(*this, in, out, true); }
Image Maximum::plain(const ConstView& in) const {
  return reference::ranked(in, window_of(*this), border, fill,
                           [](const std::vector<double>& sorted) { return sorted.back(); });
}
int Maximum::reach() const { return reach_of(window_of(*this)); }
std::string Maximum::meaning() const { return meaning_of(*this); }
void Maximum::describe(Description<Maximum>& d) {
  d.called("maximum", "rank", "The largest sample of the window: bright parts grow, small dark ones vanish.");
  d.wrong("sizes must stay: bright objects grow by the radius on each side; take closing.");
  window_fields(d, 2047);
  border_fields(d);
}

Image Midpoint::operator()(const ConstView& in) const { return made(*this, in); }
void Midpoint::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const Image least = Minimum{radius, shape, footprint, border, fill}(in);
  Maximum{radius, shape, footprint, border, fill}(in, out);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    parallel_rows(in.height(), static_cast<std::size_t>(in.width()), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float* a = least.row(y, c);
        float* r = out.row(y, c);
        for (int x = 0; x < in.width(); ++x) r[x] = 0.5F * a[x] + 0.5F * r[x];
      }
    });
  }
}
Image Midpoint::plain(const ConstView& in) const {
  return reference::ranked(in, window_of(*this), border, fill, [](const std::vector<double>& sorted) {
    return 0.5 * sorted.front() + 0.5 * sorted.back();
  });
}
int Midpoint::reach() const { return reach_of(window_of(*this)); }
std::string Midpoint::meaning() const { return meaning_of(*this); }
void Midpoint::describe(Description<Midpoint>& d) {
  d.called("midpoint", "rank",
           "Half-way between the smallest and the largest sample of the window: for noise of even distribution.");
  d.wrong("there are impulses: a single one moves every window that holds it; take median.").agrees_within(1e-6);
  window_fields(d, 2047);
  border_fields(d);
}

Image Median::operator()(const ConstView& in) const { return made(*this, in); }
void Median::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  const std::size_t n = window_of(*this).size();
  ranked(*this, in, out, static_cast<std::uint32_t>((n - 1) / 2));
}
Image Median::plain(const ConstView& in) const {
  return reference::ranked(in, window_of(*this), border, fill,
                           [](const std::vector<double>& sorted) { return sorted[(sorted.size() - 1) / 2]; });
}
int Median::reach() const { return reach_of(window_of(*this)); }
std::string Median::meaning() const { return meaning_of(*this); }
void Median::describe(Description<Median>& d) {
  d.called("median", "rank", "The middle sample of the window: drops impulses and keeps edges.");
  d.wrong(
      "the noise is fine grain without outliers: a Gaussian or an edge-preserving filter leaves less of it; thin lines "
      "must stay.");
  window_fields(d, 127);
  border_fields(d);
}

Image Percentile::operator()(const ConstView& in) const { return made(*this, in); }
void Percentile::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  ranked(*this, in, out, rank_of_share(share, window_of(*this).size()));
}
Image Percentile::plain(const ConstView& in) const {
  return reference::ranked(in, window_of(*this), border, fill, [this](const std::vector<double>& sorted) {
    return sorted[rank_of_share(share, sorted.size())];
  });
}
int Percentile::reach() const { return reach_of(window_of(*this)); }
std::string Percentile::meaning() const { return meaning_of(*this); }
void Percentile::describe(Description<Percentile>& d) {
  d.called("percentile", "rank", "The sample below which a share of the window lies: a softer minimum or maximum.");
  d.wrong("the middle is wanted: median is the same at share=0.5 and faster for small windows.");
  window_fields(d, 127);
  d.field("share", &Percentile::share, "share", "of the window that lies below: 0 minimum, 0.5 median, 1 maximum",
          {0, 1});
  border_fields(d);
}

Image TrimmedMean::operator()(const ConstView& in) const { return made(*this, in); }
void TrimmedMean::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  const auto window = window_of(*this);
  const std::size_t cut = dropped(share, window.size());
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    each_window(from, window, border, fill_of(*this), to, [cut](std::vector<float>& all, float) {
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
Image TrimmedMean::plain(const ConstView& in) const {
  return reference::ranked(in, window_of(*this), border, fill, [this](const std::vector<double>& sorted) {
    const std::size_t cut = dropped(share, sorted.size());
    double sum = 0;
    for (std::size_t i = cut; i < sorted.size() - cut; ++i) sum += sorted[i];
    return sum / static_cast<double>(sorted.size() - 2 * cut);
  });
}
int TrimmedMean::reach() const { return reach_of(window_of(*this)); }
std::string TrimmedMean::meaning() const {
  const std::size_t n = window_of(*this).size();
  return fmt::format("{}, the mean of {} of them", meaning_of(*this), n - 2 * dropped(share, n));
}
void TrimmedMean::describe(Description<TrimmedMean>& d) {
  d.called("trimmed_mean", "rank",
           "The mean of the window without its smallest and largest samples: for grain and impulses at once.");
  d.wrong("there is one kind of noise only: the mean or the median alone does better.").agrees_within(1e-6);
  window_fields(d, 31);
  d.field("share", &TrimmedMean::share, "share", "dropped at both ends together", {0, 0.99});
  border_fields(d);
}

namespace {

std::vector<Offset> places_of(const WeightedMedian& f) {
  std::vector<Offset> places;
  double sum = 0;
  for (int y = 0; y < f.weights.height(); ++y) {
    for (int x = 0; x < f.weights.width(); ++x) {
      const double w = f.weights.at(x, y);
      if (!(w >= 0) || !std::isfinite(w))
        throw BadCall(fmt::format("weighted_median: weight {} at {},{}: weights are 0 or more", w, x, y));
      sum += w;
      if (w > 0) places.push_back({x - f.weights.anchor_x(), y - f.weights.anchor_y()});
    }
  }
  if (!(sum > 0)) throw BadCall("weighted_median: the weights add up to 0; give one above 0");
  return places;
}

std::vector<double> weights_of(const WeightedMedian& f) {
  std::vector<double> all;
  for (const double w : f.weights.taps()) {
    if (w > 0) all.push_back(w);
  }
  return all;
}

}  // namespace

Image WeightedMedian::operator()(const ConstView& in) const { return made(*this, in); }
void WeightedMedian::operator()(const ConstView& in, const View& out) const {
  sieve::check(*this);
  const auto places = places_of(*this);
  const auto all = weights_of(*this);
  double half = 0;
  for (const double w : all) half += 0.5 * w;
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    each_window(from, places, border, fill_of(*this), to, [&](const std::vector<float>& samples, float) {
      thread_local std::vector<std::pair<float, double>> pairs;
      pairs.clear();
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
Image WeightedMedian::plain(const ConstView& in) const {
  return reference::weighted_median(in, places_of(*this), weights_of(*this), border, fill);
}
int WeightedMedian::reach() const { return reach_of(places_of(*this)); }
std::string WeightedMedian::meaning() const { return fmt::format("window {}x{}", weights.width(), weights.height()); }
void WeightedMedian::describe(Description<WeightedMedian>& d) {
  d.called("weighted_median", "rank",
           "The median with weights: near pixels count more, so that corners and lines last longer.");
  d.wrong("impulses are dense: the heavy middle keeps them; take median or adaptive_median.");
  d.field("weights", &WeightedMedian::weights, "", "a kernel of weights, 0 or more");
  border_fields(d);
}

Image AdaptiveMedian::operator()(const ConstView& in) const { return made(*this, in); }
void AdaptiveMedian::operator()(const ConstView& in, const View& out) const {
  const auto half = static_cast<float>(radius);
  const Image lows = Minimum{.radius = half, .border = border, .fill = fill}(in),
              most = Maximum{.radius = half, .border = border, .fill = fill}(in);
  // The smallest window decides nearly everywhere: its three figures come from the fast filters.
  const Image near_lows = Minimum{.radius = 1, .border = border, .fill = fill}(in),
              near_most = Maximum{.radius = 1, .border = border, .fill = fill}(in);
  const Image near_middle = Median{.radius = 1, .border = border, .fill = fill}(in);
  int channel = 0;
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    const int c = channel++;
    parallel_rows(in.height(), static_cast<std::size_t>(in.width()) * 4, [&](int first, int last) {
      std::vector<float> samples;
      const auto window = [&](int x, int y, int r) {
        samples.clear();
        for (int dy = -r; dy <= r; ++dy) {
          const auto sy = border_index(y + dy, in.height(), border);
          for (int dx = -r; dx <= r; ++dx) {
            const auto sx = border_index(x + dx, in.width(), border);
            const float s = sx && sy ? from.at(*sx, *sy) : fill_of(*this);
            samples.push_back(std::isnan(s) ? std::numeric_limits<float>::infinity() : s);
          }
        }
      };
      for (int y = first; y < last; ++y) {
        checkpoint();
        for (int x = 0; x < in.width(); ++x) {
          const float v = from.at(x, y), lowest = lows.at(x, y, c), highest = most.at(x, y, c);
          to.at(x, y) = v;
          if ((lowest < v && v < highest) || lowest == highest) continue;
          float low = near_lows.at(x, y, c), high = near_most.at(x, y, c), median = near_middle.at(x, y, c);
          for (int r = 2; r <= radius && !(low < median && median < high); ++r) {
            window(x, y, r);
            const auto middle = samples.begin() + static_cast<std::ptrdiff_t>(samples.size() / 2);
            std::nth_element(samples.begin(), middle, samples.end());
            median = *middle;
            low = *std::min_element(samples.begin(), middle + 1);
            high = *std::max_element(middle, samples.end());
          }
          if (std::fabs(v - median) <= least) continue;
          for (int r = 1; r <= radius; ++r) {
            window(x, y, r);
            std::erase_if(samples, [&](float s) { return !(lowest < s && s < highest); });
            if (samples.empty()) continue;
            std::sort(samples.begin(), samples.end());
            median = static_cast<float>((static_cast<double>(samples[(samples.size() - 1) / 2]) +
                                         static_cast<double>(samples[samples.size() / 2])) /
                                        2);
            break;
          }
          to.at(x, y) = median;
        }
      }
    });
  });
}
Image AdaptiveMedian::plain(const ConstView& in) const {
  return reference::adaptive_median(in, radius, least, border, fill);
}
std::string AdaptiveMedian::meaning() const { return fmt::format("windows 3x3 to {0}x{0}", 2 * radius + 1); }
void AdaptiveMedian::describe(Description<AdaptiveMedian>& d) {
  d.called("adaptive_median", "rank",
           "A median whose window grows only where it must, and which leaves good pixels alone.");
  d.wrong(
      "the noise is grain, or impulses of any level: it keeps every pixel that is no extreme of its surroundings; take "
      "median for the latter.");
  d.field("radius", &AdaptiveMedian::radius, "pixels",
          "half-width of the largest window, of which an impulse is an extreme", {1, 31});
  d.field("least", &AdaptiveMedian::least, "0..1 scale", "how far an impulse lies from the median at least", {0, 1});
  border_fields(d);
}

Image Opening::operator()(const ConstView& in) const { return made(*this, in); }
void Opening::operator()(const ConstView& in, const View& out) const {
  each_channel(*this, in, out, [this](const ConstView& from, const View& to) {
    extremes(from, radius, kLeastThenMost, Border::edge, 0, to);
  });
}
Image Opening::plain(const ConstView& in) const {
  const auto r = static_cast<float>(radius);
  return Maximum{.radius = r}.plain(Minimum{.radius = r}.plain(in));
}
std::string Opening::meaning() const { return fmt::format("window {0}x{0}", 2 * radius + 1); }
void Opening::describe(Description<Opening>& d) {
  d.called("opening", "rank",
           "Takes bright objects away that are narrower than the window; the rest keeps its outline.");
  d.wrong(
      "the objects are dark: take closing; the wanted background is smooth: background by=opening smooths the steps, "
      "too.");
  d.field("radius", &Opening::radius, "pixels", "half-width: objects narrower than 2 radius + 1 pixels vanish",
          {0, 2047});
}

Image Closing::operator()(const ConstView& in) const { return made(*this, in); }
void Closing::operator()(const ConstView& in, const View& out) const {
  each_channel(*this, in, out, [this](const ConstView& from, const View& to) {
    extremes(from, radius, kMostThenLeast, Border::edge, 0, to);
  });
}
Image Closing::plain(const ConstView& in) const {
  const auto r = static_cast<float>(radius);
  return Minimum{.radius = r}.plain(Maximum{.radius = r}.plain(in));
}
std::string Closing::meaning() const { return fmt::format("window {0}x{0}", 2 * radius + 1); }
void Closing::describe(Description<Closing>& d) {
  d.called("closing", "rank", "Takes dark objects away that are narrower than the window; the rest keeps its outline.");
  d.wrong("the objects are bright: take opening.");
  d.field("radius", &Closing::radius, "pixels", "half-width: objects narrower than 2 radius + 1 pixels vanish",
          {0, 2047});
}

}  // namespace sieve
