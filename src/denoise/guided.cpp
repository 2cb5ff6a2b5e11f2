#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "core/rows.hpp"
#include "denoise/guided_lanes.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise/bilateral.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/spatial/frame.hpp"
#include "spatial/mean_rows.hpp"

namespace sieve {

using namespace internal;

namespace {

float strength_of(const Guided& f, const ConstView& in) {
  return f.strength ? *f.strength : std::max(0.01F, static_cast<float>(2 * noise_level(in)));
}

// Computes one tile of the result row by row: the rows of the picture feed running window means, from which lines are
// fitted; the rows of these lines feed a second set of running window means.
class GuidedTile {
 public:
  GuidedTile(const ConstView& in, const ConstView& guide, int radius, float strength, const Rectangle& tile)
      : in_(in),
        guide_(guide),
        self_(in.data == guide.data),
        radius_(radius),
        eps_(strength * strength),
        tile_(tile),
        left_(std::max(0, tile.x - radius)),
        columns_(std::min(in.width(), tile.x + tile.width + radius) - left_),
        g_(radius, columns_),
        gg_(radius, columns_),
        p_(radius, self_ ? 1 : columns_),
        gp_(radius, self_ ? 1 : columns_),
        slope_(radius, tile.width),
        offset_(radius, tile.width),
        line_(static_cast<std::size_t>(tile.width)) {}

  void run(const View& out, bool stream) {
    const int last_row = in_.height() - 1, end = tile_.y + tile_.height + radius_,
              first = std::max(0, tile_.y - radius_);
    for (int y = first - radius_; y < first + radius_; ++y) take(y);
    int fitted = first - 1;
    for (int y = tile_.y - radius_; y < end; ++y) {
      if (const int row = std::clamp(y, 0, last_row); row > fitted) {
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
  // Row y, which may lie beyond the picture, comes into the windows.
  void take(int y) {
    const int wide = columns_ + 2 * radius_;
    const auto n = static_cast<std::size_t>(wide);
    rows::extend(guide_, y, left_ - radius_, wide, Border::edge, 0, g_.next());
    lanes::multiply(g_.next(), g_.next(), gg_.next(), n);
    if (!self_) {
      rows::extend(in_, y, left_ - radius_, wide, Border::edge, 0, p_.next());
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
  Rectangle tile_;
  int left_, columns_;  // of the fitted lines
  MeanRows g_, gg_, p_, gp_, slope_, offset_;
  std::vector<float> line_;
};

void guided(const ConstView& in, const ConstView& guide, int radius, float strength, Border border, const View& out) {
  if (border != Border::edge) {
    // A tile knows the repeated edge alone; beyond a rim as wide as a sample looks, it makes no difference.
    const int rim = 2 * radius;
    const Pad pad{.left = rim, .right = rim, .top = rim, .bottom = rim, .border = border};
    const Image wide = pad(in), wide_guide = in.data == guide.data ? Image() : pad(guide);
    Image result(wide.shape());
    guided(wide, wide_guide.empty() ? wide.view() : wide_guide.view(), radius, strength, Border::edge, result.view());
    return copy(result.view().part({rim, rim, in.width(), in.height()}), out);
  }
  const bool stream = rows::streams(out.shape.samples());
  each_window_tile(in.width(), in.height(), radius,
                   [&](const Rectangle& tile) { GuidedTile(in, guide, radius, strength, tile).run(out, stream); });
}

}  // namespace

Image Guided::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Guided::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const int color = in.shape.color_channels();
  if (!with.empty()) {
    const Shape g = with.image("guided", "with").shape();
    if (g.width != in.width() || g.height != in.height() || (g.color_channels() != 1 && g.color_channels() != color)) {
      throw InvalidArgument(fmt::format(
          "guided: the guide is {} and the picture {}: give one of the same size, gray or with the same channels",
          text_of(g).text, text_of(in.shape).text));
    }
  }
  const float s = strength_of(*this, in);
  if (!strength) note(fmt::format("strength {:.4f}, from the noise level", s));
  for (int c = 0; c < color; ++c) {
    const ConstView guide = with.empty()
                                ? in.channel(c)
                                : with.image("guided", "with")
                                      .view()
                                      .channel(with.image("guided", "with").shape().color_channels() == 1 ? 0 : c);
    guided(in.channel(c), guide, whole(radius), s, border, out.channel(c));
  }
  copy_alpha(in, out);
}
void Guided::describe(Description<Guided>& d) {
  d.called("guided", "denoise",
           "Follows a guide (or the picture itself) by local lines: smooth within edges, fast at any radius.");
  d.also({"edge preserving", "smooth"});
  d.wrong("noise close to strong edges disturbs: a rim of it is kept there.");
  d.window([](const Guided& f) { return 2 * whole(f.radius); });
  d.measures([](const Guided& f) { return !f.strength; });
  d.undivided();
  d.meaning([](const Guided& f) { return fmt::format("window {0}x{0}", 2 * whole(f.radius) + 1); });
  d.whole("radius", &Guided::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {1, 500});
  d.field("strength", &Guided::strength, "0..1 scale", "detail of a smaller deviation is smoothed", {1e-4, 10});
  d.field("with", &Guided::with, "", "a guide of the same size; none: the picture itself");
  d.border(&Guided::border, nullptr, picture_borders());
}

}  // namespace sieve
