#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/run.hpp"
#include "denoise/windows.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise/bilateral.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/reference.hpp"
#include "spatial/box_sums.hpp"

namespace sieve {

namespace {

float strength_of(const Guided& f, const ConstView& in) { return f.strength ? *f.strength : std::max(0.01F, static_cast<float>(2 * noise_level(in))); }

Image mean_of(const ConstView& in, int radius) {
  Image out(in.shape);
  box_mean(in, radius, Border::edge, 0, out.view());
  return out;
}

Image product(const ConstView& a, const ConstView& b) {
  return map_pairs(a, b, [](float p, float q) { return p * q; });
}

void guided(const ConstView& in, const ConstView& guide, int radius, float strength, const View& out) {
  const bool self = in.data == guide.data;
  const Image mean_guide = mean_of(guide, radius), mean_in = self ? Image() : mean_of(in, radius);
  const Image& means = self ? mean_guide : mean_in;
  Image slope = mean_of(product(guide, in), radius);
  Image squares = self ? Image() : mean_of(product(guide, guide), radius);
  Image offset(in.shape);
  const float eps = strength * strength;
  parallel_rows(in.height(), static_cast<std::size_t>(in.width()), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float *mg = mean_guide.row(y), *mi = means.row(y);
      float *a = slope.row(y), *b = offset.row(y);
      const float* gg = self ? a : squares.row(y);
      for (int x = 0; x < in.width(); ++x) {
        const float cov = a[x] - mg[x] * mi[x], var = gg[x] - mg[x] * mg[x];
        const float k = cov / ((var < 0 ? 0 : var) + eps);
        a[x] = k;
        b[x] = mi[x] - k * mg[x];
      }
    }
  });
  slope = mean_of(slope, radius);
  offset = mean_of(offset, radius);
  parallel_rows(in.height(), static_cast<std::size_t>(in.width()), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const float *a = slope.row(y), *b = offset.row(y), *g = guide.row(y);
      float* r = out.row(y);
      for (int x = 0; x < in.width(); ++x) r[x] = a[x] * g[x] + b[x];
    }
  });
}

}  // namespace

Image Guided::operator()(const ConstView& in) const { return made(*this, in); }
void Guided::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const int color = in.shape.color_channels();
  if (!with.empty()) {
    const Shape g = with.image("guided", "with").shape();
    if (g.width != in.width() || g.height != in.height() || (g.color_channels() != 1 && g.color_channels() != color)) {
      throw BadCall(fmt::format("guided: the guide is {} and the picture {}: give one of the same size, gray or with the same channels", text_of(g).text, text_of(in.shape).text));
    }
  }
  const float s = strength_of(*this, in);
  if (!strength) note(fmt::format("strength {:.4f}, from the noise level", s));
  for (int c = 0; c < color; ++c) {
    const ConstView guide = with.empty() ? in.channel(c) : with.image("guided", "with").view().channel(with.image("guided", "with").shape().color_channels() == 1 ? 0 : c);
    guided(in.channel(c), guide, radius, s, out.channel(c));
  }
  copy_alpha(in, out);
}
Image Guided::plain(const ConstView& in) const {
  return reference::guided(in, with.empty() ? in : with.image("guided", "with").view(), radius, strength_of(*this, in));
}
std::string Guided::meaning() const { return fmt::format("window {0}x{0}", 2 * radius + 1); }
void Guided::describe(Description<Guided>& d) {
  d.called("guided", "denoise", "Follows a guide (or the picture itself) by local lines: smooth within edges, fast at any radius.");
  d.wrong("noise close to strong edges disturbs: a rim of it is kept there.").agrees_within(2e-4);
  d.field("radius", &Guided::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {1, 500});
  d.field("strength", &Guided::strength, "0..1 scale", "detail of a smaller deviation is smoothed", {1e-4, 10});
  d.field("with", &Guided::with, "", "a guide of the same size; none: the picture itself");
}

}  // namespace sieve
