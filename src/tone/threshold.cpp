#include "sieve/tone/threshold.hpp"

#include <fmt/format.h>

#include <cmath>
#include <limits>

#include "core/to_integer.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "spatial/box_sums.hpp"
#include "spatial/mean_rows.hpp"
#include "tone/point_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, ThresholdBy>> ChoiceNames<ThresholdBy>::all() {
  static constexpr std::pair<const char*, ThresholdBy> names[] = {
      {"otsu", ThresholdBy::otsu}, {"level", ThresholdBy::level}, {"local", ThresholdBy::local}};
  return names;
}

double otsu_level(const Histogram& h) {
  std::vector<double> counts(h.counts.begin(), h.counts.end());
  counts.front() += static_cast<double>(h.below);
  counts.back() += static_cast<double>(h.above);
  double all = 0, moment = 0;
  for (std::size_t i = 0; i < counts.size(); ++i) {
    all += counts[i];
    moment += counts[i] * static_cast<double>(i);
  }
  if (all == 0) return std::numeric_limits<double>::quiet_NaN();
  double lower = 0, lower_moment = 0, best = -1, first = 0, last = 0;
  for (std::size_t i = 0; i + 1 < counts.size(); ++i) {
    lower += counts[i];
    lower_moment += counts[i] * static_cast<double>(i);
    const double upper = all - lower;
    if (lower == 0 || upper == 0) continue;
    const double apart = lower_moment / lower - (moment - lower_moment) / upper,
                 between = lower * upper * apart * apart;
    if (between > best) {
      best = between;
      first = static_cast<double>(i);
    }
    if (between == best) last = static_cast<double>(i);
  }
  // One level alone: everything lies at it, nothing above.
  if (best < 0) return h.center(to_integer<std::size_t>(moment / all, 0, counts.size() - 1));
  // Between the centers of the lower class's last bin and the upper one's first.
  const double cut = 0.5 * (first + last) + 0.5, n = static_cast<double>(counts.size());
  return h.by_level ? cut / (n - 1) : h.low + (cut + 0.5) * (h.high - h.low) / n;
}

namespace {
// A flat window's mean is off by a rounding or two: a sample that is no more than that above it is not above it.
constexpr float kTie = 1e-6F;
}  // namespace

Image Threshold::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Threshold::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView from = in.channel(c);
    const View to = out.channel(c);
    if (by == ThresholdBy::local) {
      box_mean(from, whole(radius), border, 0, to);
      parallel_rows(in.height(), in.width(), [&](int first, int last) {
        for (int y = first; y < last; ++y)
          lanes::above_each(from.row(y), to.row(y), offset - kTie, to.row(y), static_cast<std::size_t>(in.width()));
      });
      continue;
    }
    float at = level;
    if (by == ThresholdBy::otsu) {
      at = static_cast<float>(
          otsu_level(histogram(from, {.channel = 0, .bins = in.white_level > 0 ? 0 : 1024, .low = 0, .high = 1})));
      note(fmt::format("level {:.4f}{}", at, in.shape.color_channels() > 1 ? fmt::format(" in channel {}", c) : ""));
    }
    each_row(from, to,
             [at](const float* a, float* r, std::size_t n, bool stream) { lanes::above(a, at, r, n, stream); });
  }
  copy_alpha(in, out);
}
void Threshold::describe(Description<Threshold>& d) {
  d.called("threshold", "tone",
           "Black and white: 1 above a level, 0 elsewhere; the level given, by Otsu, or the local mean.");
  d.also({"binarize", "Otsu", "segment", "black and white"});
  d.wrong(
      "the light is uneven and one level cannot fit: take by=local, or flatten first; the picture is noisy: smooth "
      "first.");
  d.window([](const Threshold& f) { return f.by == ThresholdBy::local ? whole(f.radius) : 0; });
  d.measures([](const Threshold& f) { return f.by == ThresholdBy::otsu; });
  d.reads_around();
  d.undivided([](const Threshold& f) { return f.by == ThresholdBy::local && f.radius > kSteadyMeanRadius; });
  d.meaning([](const Threshold& f) {
    return f.by == ThresholdBy::local ? fmt::format("window {0}x{0}", 2 * f.radius + 1) : "";
  });
  d.field("by", &Threshold::by, "", "how the level is found");
  d.field("level", &Threshold::level, "0..1 scale", "with by=level");
  d.whole("radius", &Threshold::radius, "pixels", "half-width of the window with by=local", {1, 2047});
  d.field("offset", &Threshold::offset, "0..1 scale", "taken off the local mean with by=local", {-1, 1});
  d.border(&Threshold::border, nullptr, picture_borders(), "what lies beyond the picture with by=local");
}

}  // namespace sieve
