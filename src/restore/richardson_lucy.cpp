#include "sieve/restore/richardson_lucy.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>
#include <vector>

#include "core/finite.hpp"
#include "core/luma.hpp"
#include "core/quiet.hpp"
#include "core/row_sums.hpp"
#include "restore/beyond.hpp"
#include "restore/linear_run.hpp"
#include "restore/signal_model.hpp"
#include "restore/told_noise.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr double kMostSmooth = 0.1;

// u / (1 - s div (grad u / |grad u|)). Where |grad u| is below 5 s u it counts as that: what alternates from pixel to
// pixel is then multiplied by -0.6 at the least, and falls.
Image smoothed(const Image& u, float s) {
  const int w = u.width(), h = u.height();
  Image out(w, h);
  // The unit vectors of a row's gradients; nothing outside of the picture.
  const auto unit = [&](int y, float* along, float* down) {
    const float *r = u.row(y), *under = u.row(std::min(y + 1, h - 1));
    const auto put = [&](int x, float dx) {
      const float dy = under[x] - r[x], least = 5 * s * r[x],
                  size = std::sqrt(dx * dx + dy * dy + least * least + 1e-8F);
      along[x] = dx / size;
      down[x] = dy / size;
    };
    for (int x = 0; x + 1 < w; ++x) put(x, r[x + 1] - r[x]);
    put(w - 1, 0);
  };
  parallel_rows(h, RowCost(w, 8), [&](int first, int last) {
    std::vector<float> along(static_cast<std::size_t>(w)), down = along, over = along;
    if (first > 0) unit(first - 1, along.data(), over.data());
    for (int y = first; y < last; ++y) {
      unit(y, along.data(), down.data());
      const float *r = u.row(y), *px = along.data(), *py = down.data(), *above = over.data();
      float* to = out.row(y);
      const auto put = [&](int x, float before) {
        to[x] = r[x] / std::max(0.1F, 1 - s * (px[x] - before + py[x] - above[x]));
      };
      put(0, 0);
      for (int x = 1; x < w; ++x) put(x, px[x - 1]);
      std::swap(down, over);
    }
  });
  return out;
}

struct Account {
  int iterations = 0;
  double smoothness = 0, residual = 0;
  std::vector<double> history;  // the residual before each iteration
};

// The iterations of one channel in the frame that they need.
class Iteration {
 public:
  Iteration(const RichardsonLucy& f, const ConstView& channel, double noise)
      : f_(f),
        noise_(noise),
        inside_{0, 0, channel.width(), channel.height()},
        transfer_(transfer_of(f.psf, channel.shape, f.border)),
        given_(f.border == Border::taper ? in_frame(channel, transfer_) : Image(channel)),
        shape_(given_.shape()) {
    if (f.border == Border::taper) transfer_.repeat();
    smoothness_ = f.smoothness ? static_cast<double>(*f.smoothness) : smoothness_for(channel);
  }

  Image run(Account& a) const {
    a.smoothness = smoothness_;
    const Blurring blurring(transfer_);
    const Image g = map_samples(given_, [](float v) { return std::max(0.0F, v); });
    // Without smoothness there is no end but the noise, and the picture itself is the farthest from it.
    const bool smooth = smoothness_ > 0;
    Image u = smooth && noise_ > 0 ? near_the_end() : g;
    // start: where the step begins, beyond the last result when accelerated.
    Image before = u, start = u, blurred(shape_);
    const auto half = static_cast<float>(smoothness_ / 2);
    Progress progress(f_.iterations);
    const double enough = static_cast<double>(f_.tolerance) * statistics(g)[0].deviation;
    for (int i = 0; i < f_.iterations; ++i) {
      checkpoint();
      const float ahead = f_.accelerate && i > 0 ? static_cast<float>((i - 1.0) / (i + 2.0)) : 0;
      map_pairs(u, before, start.view(),
                [ahead](float now, float then) { return std::max(0.0F, now + ahead * (now - then)); });
      blurring.blur(start, blurred.view());
      a.residual = ratio_to(g, blurred);
      a.history.push_back(a.residual);
      if (!smooth && noise_ > 0 && a.residual <= noise_) return start;
      blurring.turned(blurred, blurred.view());
      std::swap(before, u);
      map_pairs(start, blurred, u.view(), [](float s, float r) { return std::max(0.0F, s * r); });
      // In halves, after which what alternates has its sign again: momentum raises what changes sign at every step.
      if (smooth) u = smoothed(smoothed(u, half), half);
      a.iterations = i + 1;
      progress.add(1);
      // The first steps are short because they have no momentum yet.
      constexpr int kFirst = 10;
      if (smooth && i >= kFirst && std::sqrt(mean_square(u, before)) <= enough) break;
    }
    return u;
  }

 private:
  // What has about the least error: fitted to fifteen photographs under four blurs. Photons as many as the mean have
  // the variance of the mean, so that the weight of the noise goes by it.
  double smoothness_for(const ConstView& channel) const {
    constexpr double kFactor = 0.13, kPower = -0.2, kLeast = 0.03, kMost = 1, kDarkest = 0.02;
    if (noise_ <= 0) return 0;
    const double error = SignalModel(given_, transfer_, noise_).expected_error(),
                 mean = std::max(kDarkest, statistics(channel)[0].mean),
                 times = kFactor * std::pow(std::max(1e-6, error / noise_), kPower) / mean;
    return std::min(kMostSmooth, noise_ * std::clamp(times, kLeast, kMost));
  }

  // With smoothness there is one end, wherever it starts: the linear restoration is nearer than the picture. Less noise
  // than rounding makes would give rounding back.
  Image near_the_end() const {
    constexpr float kDark = 1e-3F, kRounding = 0.3F / 255;
    const Quiet quiet;
    const Border border = f_.border == Border::taper ? Border::wrap : f_.border;
    const Image linear =
        Wiener{.psf = f_.psf, .noise = std::max(kRounding, static_cast<float>(noise_)), .border = border}(given_);
    return map_samples(linear, [=](float v) { return std::max(kDark, v); });
  }

  // Makes of what is blurred the ratio of the picture to it; the deviation of the residual within the picture.
  double ratio_to(const Image& g, Image& blurred) const {
    const double squares = mean_square(g.view().part(inside_), blurred.view().part(inside_));
    map_pairs(g, blurred, blurred.view(), [](float a, float b) { return b > 1e-9F ? a / b : 0; });
    return std::sqrt(squares);
  }

  const RichardsonLucy& f_;
  double noise_, smoothness_ = 0;
  Rectangle inside_;
  Transfer2d transfer_;
  Image given_;
  Shape shape_;
};

}  // namespace

Image RichardsonLucy::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void RichardsonLucy::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  checked_psf(psf, "richardson_lucy");
  tell_of_mirrors(psf, border);
  // A measurement of the noise is little beside the iterations.
  constexpr double kMeasured = 0.02;
  Progress progress(in.shape.color_channels() + kMeasured);
  progress.expect(kMeasured);
  const double s = noise_of(noise, in);
  progress.add(kMeasured);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      Account a;
      copy(Iteration(*this, finite.channel(c), s).run(a).view().part({0, 0, in.width(), in.height()}),
           result.channel(c));
      note(fmt::format("channel {}: {} iterations, smoothness {:.3g}, residual {:.5f}{}", c + 1, a.iterations,
                       a.smoothness, a.residual,
                       s > 0 ? fmt::format(", noise {:.5f}{}", s, noise ? "" : " (estimated)") : ""));
      progress.add(1);
    }
  });
  copy_alpha(in, out);
}

static std::vector<Stage> stages_of_richardson_lucy(const RichardsonLucy& f, const ConstView& in) {
  validate(f, in);
  Account a;
  Iteration(f, finite_luma(in), noise_of(f.noise, in)).run(a);
  return {iteration_stage(a.history)};
}

void RichardsonLucy::describe(Description<RichardsonLucy>& d) {
  d.called("richardson_lucy", "restore",
           "The likeliest picture under photon noise, by multiplication, never negative.");
  d.also({"deblur", "deconvolve", "restore", "Poisson", "maximum likelihood"});
  d.wrong("the background lies below 0 (a signed picture), or time is short: wiener needs one step.");
  d.meaning(
      [](const RichardsonLucy& f) { return fmt::format("PSF {}x{}, scaled to sum 1", f.psf.width(), f.psf.height()); });
  d.stages(stages_of_richardson_lucy);
  describe_psf(d);
  d.field("iterations", &RichardsonLucy::iterations, "", "at most", {1, 10000});
  d.field("accelerate", &RichardsonLucy::accelerate, "", "steps beyond each result");
  d.field("smoothness", &RichardsonLucy::smoothness, "", "of a total-variation term; auto: by the noise",
          {0, kMostSmooth});
  d.field("noise", &RichardsonLucy::noise, "0..1 scale",
          "its deviation, for smoothness=auto; with smoothness=0 the residual to stop at, and 0: never", {0, 1});
  d.field("tolerance", &RichardsonLucy::tolerance, "of the picture's deviation",
          "with smoothness, the change of an iteration at which to end", {1e-6, 0.1});
  describe_border(d);
}

}  // namespace sieve
