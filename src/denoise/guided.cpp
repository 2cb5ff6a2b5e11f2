#include <fmt/format.h>

#include <algorithm>

#include "core/rows.hpp"
#include "denoise/guided_lanes.hpp"
#include "denoise/least_risk.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise/bilateral.hpp"
#include "sieve/quality/estimate.hpp"
#include "spatial/lanes.hpp"
#include "spatial/mean_rows.hpp"

namespace sieve {

using namespace internal;

namespace {

// Strengths in noise deviations of which the best is chosen.
constexpr float kGuidedStrengths[] = {0.7F, 1, 1.4F, 2, 2.8F, 4, 5.6F};

// The guide of a part is that part of the guide.
void guide_part(Guided& trial, const Rectangle& place) {
  if (trial.with.empty()) return;
  ConstView guide = trial.with.image("guided", "with").view();
  guide.shape.channels = guide.shape.color_channels();
  trial.with = Image(guide.part(place));
}

// The guide for a channel of a picture, which may be a part of a larger one.
ConstView guide_of(const Guided& f, const ConstView& in, int channel) {
  const ConstView all = f.with.image("guided", "with").view();
  ConstView guide = all.channel(all.shape.color_channels() == 1 ? 0 : channel);
  guide.data = guide.row(in.place.y) + in.place.x;
  guide.shape.width = in.width();
  guide.shape.height = in.height();
  guide.place = in.place;
  return guide;
}

// Computes one tile of the result row by row: the rows of the picture feed running window means, from which lines are
// fitted; the rows of these lines feed a second set of running window means.
//
// At an edge border the lines beyond the picture are those of its outermost windows; at others windows beyond it are
// fitted to what the border says is there.
class GuidedTile {
 public:
  GuidedTile(const ConstView& in, const ConstView& guide, int radius, float strength, Border border,
             const Rectangle& tile)
      : in_(in),
        guide_(guide),
        self_(in.data == guide.data),
        radius_(radius),
        eps_(strength * strength),
        border_(border),
        tile_(tile),
        left_(inside(tile.x - radius, in.place.x, in.whole_width())),
        columns_(inside(tile.x + tile.width + radius - 1, in.place.x, in.whole_width()) + 1 - left_),
        first_(inside(tile.y - radius, in.place.y, in.whole_height())),
        last_(inside(tile.y + tile.height + radius - 1, in.place.y, in.whole_height())),
        g_(radius, columns_, first_of_windows()),
        gg_(radius, columns_, first_of_windows()),
        p_(radius, self_ ? 1 : columns_, first_of_windows()),
        gp_(radius, self_ ? 1 : columns_, first_of_windows()),
        slope_(radius, tile.width, in.place.y + tile.y - radius),
        offset_(radius, tile.width, in.place.y + tile.y - radius),
        line_(static_cast<std::size_t>(tile.width)) {}

  void run(const View& out, bool stream) {
    const int end = tile_.y + tile_.height + radius_;
    for (int y = first_ - radius_; y < first_ + radius_; ++y) take(y);
    int fitted = first_ - 1;
    for (int y = tile_.y - radius_; y < end; ++y) {
      if (const int row = std::clamp(y, first_, last_); row > fitted) {
        fit(row);
        fitted = row;
      } else {
        slope_.repeat();
        offset_.repeat();
      }
      if (const int done = y - radius_; done >= tile_.y) {
        const auto n = static_cast<std::size_t>(tile_.width);
        lanes::follow_lines(slope_.means(), offset_.means(), guide_.row(done) + tile_.x, line_.data(), n);
        rows::copy(line_.data(), out.row(done) + tile_.x, n, stream);
      }
    }
  }

 private:
  // The row or column i of the view, or the nearest where lines are fitted.
  int inside(int i, int place, int whole) const {
    return border_ == Border::edge ? std::clamp(i, -place, whole - place - 1) : i;
  }
  int first_of_windows() const { return in_.place.y + first_ - radius_; }

  // Row y, which may lie beyond the picture, comes into the windows.
  void take(int y) {
    const int wide = columns_ + 2 * radius_;
    const auto n = static_cast<std::size_t>(wide);
    rows::extend(guide_, y, left_ - radius_, wide, border_, 0, g_.next());
    lanes::multiply(g_.next(), g_.next(), gg_.next(), n);
    if (!self_) {
      rows::extend(in_, y, left_ - radius_, wide, border_, 0, p_.next());
      lanes::multiply(g_.next(), p_.next(), gp_.next(), n);
      p_.push();
      gp_.push();
    }
    g_.push();
    gg_.push();
  }

  // The lines of the windows around row y.
  void fit(int y) {
    take(y + radius_);
    lanes::LineMeans m{g_.means(), gg_.means(), nullptr, nullptr};
    m.p = self_ ? m.g : p_.means();
    m.gp = self_ ? m.gg : gp_.means();
    const int before = left_ - (tile_.x - radius_), behind = tile_.width + 2 * radius_ - before - columns_;
    float *slope = slope_.next() + before, *offset = offset_.next() + before;
    lanes::fit_lines(m, eps_, slope, offset, static_cast<std::size_t>(columns_));
    for (float* row : {slope, offset}) {
      std::fill_n(row - before, before, row[0]);
      std::fill_n(row + columns_, behind, row[columns_ - 1]);
    }
    slope_.push();
    offset_.push();
  }

  ConstView in_, guide_;
  bool self_;
  int radius_;
  float eps_;
  Border border_;
  Rectangle tile_;
  int left_, columns_, first_, last_;  // of the fitted lines
  MeanRows g_, gg_, p_, gp_, slope_, offset_;
  Scratch<float> line_;
};

void guided(const ConstView& in, const ConstView& guide, int radius, float strength, Border border, const View& out) {
  const bool stream = rows::streams(out.shape.samples());
  each_window_tile(in.width(), in.height(), radius,
                   [&](const Rectangle& t) { GuidedTile(in, guide, radius, strength, border, t).run(out, stream); });
}

}  // namespace

Image Guided::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Guided::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const int color = in.shape.color_channels();
  if (!with.empty()) {
    const Shape g = with.image("guided", "with").shape();
    if (g.width != in.whole_width() || g.height != in.whole_height() ||
        (g.color_channels() != 1 && g.color_channels() != color)) {
      throw InvalidArgument(fmt::format(
          "guided: the guide is {} and the picture {}: give one of the same size, gray or with the same channels",
          text_of(g).text, text_of(in.shape).text));
    }
  }
  const ChosenSetting chosen(*this, &Guided::strength, in, kGuidedStrengths, 0.005F, guide_part);
  const float s = chosen.value();
  if (!strength) note(fmt::format("strength {:.4f}, of the least estimated error", s));
  for (int c = 0; c < color; ++c) {
    guided(in.channel(c), with.empty() ? in.channel(c) : guide_of(*this, in, c), whole(radius), s, border,
           out.channel(c));
  }
  copy_alpha(in, out);
}
void Guided::describe(Description<Guided>& d) {
  d.called("guided", "denoise",
           "Follows a guide (or the picture itself) by local lines: smooth within edges, fast at any radius.");
  d.also({"edge preserving", "smooth"});
  d.wrong(
      "noise close to strong edges disturbs: a rim of it is kept there, and at 25 of 255 it is 4.4 dB behind "
      "block_matching on photographs.");
  d.window([](const Guided& f) { return 2 * whole(f.radius); });
  d.measures([](const Guided& f) { return !f.strength; });
  d.settles([](const Guided& f, const ConstView& in) {
    Guided settled = f;
    settled.strength = ChosenSetting(f, &Guided::strength, in, kGuidedStrengths, 0.005F, guide_part).value();
    return settled;
  });
  d.reads_around();
  d.undivided([](const Guided& f) { return f.radius > kSteadyMeanRadius; });
  d.meaning([](const Guided& f) { return fmt::format("window {0}x{0}", 2 * whole(f.radius) + 1); });
  d.whole("radius", &Guided::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {1, 500});
  d.field("strength", &Guided::strength, "0..1 scale",
          "detail of a smaller deviation is smoothed; auto: of the least estimated error", {1e-4, 10});
  d.field("with", &Guided::with, "", "a guide of the same size; none: the picture itself");
  d.border(&Guided::border, nullptr, picture_borders());
}

}  // namespace sieve
