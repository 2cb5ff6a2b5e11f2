#include "sieve/denoise/local_statistics.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/rows.hpp"
#include "denoise/border_help.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/tone/statistics.hpp"
#include "spatial/lanes.hpp"
#include "spatial/mean_rows.hpp"

namespace sieve {

using namespace internal;

namespace {

// use(tile, y, mean, variance) for each row y of each tile of a channel: its samples' windows, beyond the picture as
// the border says. A variance is at least 0.
template <class Use>
void each_local_row(const ConstView& in, int radius, Border border, Use use) {
  each_window_tile(in.width(), in.height(), radius, [&](const Rectangle& t) {
    const int wide = t.width + 2 * radius, first = in.place.y + t.y - radius;
    MeanRows means(radius, t.width, first), squares(radius, t.width, first);
    Scratch<float> variance(static_cast<std::size_t>(t.width));
    for (int y = t.y - radius; y < t.y + t.height + radius; ++y) {
      rows::extend(in, y, t.x - radius, wide, border, 0, means.next());
      lanes::multiply(means.next(), means.next(), squares.next(), static_cast<std::size_t>(wide));
      means.push();
      squares.push();
      if (y < t.y + radius) continue;
      const float *m = means.means(), *s = squares.means();
      // Not max(0, .): that would take NaN for 0.
      for (std::size_t x = 0; x < variance.size(); ++x) {
        const float v = s[x] - m[x] * m[x];
        variance[x] = v < 0 ? 0 : v;
      }
      use(t, y - radius, m, variance.data());
    }
  });
}

// gain(mean, variance) * (v - mean) + mean for every sample of a channel.
template <class Gain>
void toward_mean(const ConstView& in, int radius, Border border, const View& out, Gain gain) {
  each_local_row(in, radius, border, [&](const Rectangle& t, int y, const float* m, const float* v) {
    const float* a = in.row(y) + t.x;
    float* r = out.row(y) + t.x;
    for (int x = 0; x < t.width; ++x) r[x] = m[x] + gain(m[x], v[x]) * (a[x] - m[x]);
  });
}

std::string square(Real radius) { return fmt::format("window {0}x{0}", 2 * whole(radius) + 1); }

float noise_of(const AdaptiveWiener& f, const ConstView& in) {
  return f.noise ? *f.noise : static_cast<float>(noise_level(in));
}

// The lower quartile of deviation / mean: the windows that hold nothing but speckle.
float speckle_of(const Lee& f, const ConstView& in) {
  if (f.speckle) return *f.speckle;
  double sum = 0;
  const int color = in.shape.color_channels();
  for (int c = 0; c < color; ++c) {
    Image ratio(in.width(), in.height());
    each_local_row(in.channel(c), whole(f.radius), f.border,
                   [&](const Rectangle& t, int y, const float* m, const float* v) {
                     float* r = ratio.row(y) + t.x;
                     for (int x = 0; x < t.width; ++x) r[x] = m[x] > 0.01F ? std::sqrt(v[x]) / m[x] : std::nanf("");
                   });
    if (statistics(ratio)[0].not_finite < ratio.shape().pixels()) sum += percentile(ratio, 0.25);
  }
  return static_cast<float>(sum / color);
}

}  // namespace

Image AdaptiveWiener::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void AdaptiveWiener::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const float s = noise_of(*this, in), power = s * s;
  if (!noise) note(fmt::format("noise deviation {:.4f}, estimated", s));
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    toward_mean(in.channel(c), whole(radius), border, out.channel(c), [power](float, float v) {
      return v > power ? (v - power) / v : v <= power ? 0.0F : v;
    });
  }
  copy_alpha(in, out);
}
void AdaptiveWiener::describe(Description<AdaptiveWiener>& d) {
  d.called("adaptive_wiener", "denoise", "Smooths flat places and keeps busy ones, by local mean and variance.");
  d.also({"local Wiener", "grain"});
  d.wrong(
      "noise on edges disturbs: there it is kept; nonlocal_means takes it out there, too. The grain is strong: at 25 "
      "of "
      "255 it is 4.7 dB behind block_matching on photographs.");
  d.window([](const AdaptiveWiener& f) { return whole(f.radius); });
  d.reads_around();
  d.undivided([](const AdaptiveWiener& f) { return f.radius > kSteadyMeanRadius; });
  d.measures([](const AdaptiveWiener& f) { return !f.noise; });
  d.meaning([](const AdaptiveWiener& f) { return square(f.radius); });
  d.whole("radius", &AdaptiveWiener::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side",
          {1, 500});
  d.takes_noise([](AdaptiveWiener& f, float deviation) { f.noise = deviation; });
  d.field("noise", &AdaptiveWiener::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  d.border(&AdaptiveWiener::border, nullptr, picture_borders(), kNoisyBorderHelp);
}

Image Lee::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Lee::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const float s = speckle_of(*this, in), power = s * s;
  if (!speckle) note(fmt::format("speckle {:.4f} of the level, estimated", s));
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    toward_mean(in.channel(c), whole(radius), border, out.channel(c), [power](float m, float v) {
      const float gain = 1 - power * m * m / v;
      return v > 0 && gain > 0 ? gain : std::isnan(v) ? v : 0.0F;
    });
  }
  copy_alpha(in, out);
}
void Lee::describe(Description<Lee>& d) {
  d.called("lee", "denoise",
           "For speckle, noise in proportion to the level: smooths where the variation is no more than speckle makes.");
  d.also({"speckle", "SAR", "radar", "ultrasound"});
  d.wrong("the noise is equally strong in dark and bright parts: take adaptive_wiener.");
  d.window([](const Lee& f) { return whole(f.radius); });
  d.reads_around();
  d.undivided([](const Lee& f) { return f.radius > kSteadyMeanRadius; });
  d.measures([](const Lee& f) { return !f.speckle; });
  d.meaning([](const Lee& f) { return square(f.radius); });
  d.whole("radius", &Lee::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {1, 500});
  d.field("speckle", &Lee::speckle, "share of the level", "standard deviation of the speckle", {0, 2});
  d.border(&Lee::border, nullptr, picture_borders(), kNoisyBorderHelp);
}

Image Anscombe::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Anscombe::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Anscombe::describe(Description<Anscombe>& d) {
  d.float_result();
  d.called("anscombe", "denoise",
           "Makes photon noise equally strong at every level (Anscombe), so that any denoiser fits; undo with "
           "inverse_anscombe.");
  d.also({"variance stabilizing", "stabilize", "photon noise", "Poisson"});
  d.wrong("the noise is the same in dark and bright parts already.");
  d.maps_samples(
      [](const Anscombe& f) {
        const float k = f.peak, top = std::sqrt(k + 0.375F);
        return [k, top](float v) {
          const float n = v * k + 0.375F;
          return std::sqrt(n < 0 ? 0 : n) / top;
        };
      },
      1.5);
  d.field("peak", &Anscombe::peak, "photons", "what white stands for", {0.1, 1e6});
}

Image InverseAnscombe::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void InverseAnscombe::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void InverseAnscombe::describe(Description<InverseAnscombe>& d) {
  d.called("inverse_anscombe", "denoise", "Undoes anscombe after a denoiser, without bias.");
  d.also({"unstabilize", "variance stabilizing"});
  d.wrong("nothing was denoised between the two: then it is not the exact inverse of single samples.");
  d.maps_samples(
      [](const InverseAnscombe& f) {
        const double k = f.peak, top = 2 * std::sqrt(k + 0.375);
        return [k, top](float v) {
          if (std::isnan(v)) return v;
          // Below the transform of no photon at all the closed form has no meaning.
          const double t = std::max(static_cast<double>(v) * top, 2 * std::sqrt(0.375));
          const double root = std::sqrt(1.5),
                       n = t * t / 4 + root / (4 * t) - 11 / (8 * t * t) + 5 * root / (8 * t * t * t) - 1.0 / 8;
          return static_cast<float>(n / k);
        };
      },
      6);
  d.field("peak", &InverseAnscombe::peak, "photons", "as in anscombe", {0.1, 1e6});
}

}  // namespace sieve
