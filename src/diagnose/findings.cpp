#include "sieve/diagnose/findings.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "diagnose/rounded.hpp"
#include "diagnose/thresholds.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/illumination/background.hpp"
#include "sieve/spatial/frame.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/curve.hpp"
#include "sieve/tone/equalize.hpp"
#include "sieve/tone/point.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

namespace {

// How much of the large-scale lightness a smooth surface explains, and over what range it goes.
void measure_light(const ConstView& luma, Findings& f) {
  // Blocks of a few dozen pixels: what is smaller is the scene.
  const double step = std::max(1.0, std::min(luma.width(), luma.height()) / 48.0);
  const Image blocks = Shrink{.factor = static_cast<float>(step)}(luma);
  const Image surface = Background{.by = BackgroundBy::polynomial}(blocks);
  const ChannelStatistics all = statistics(blocks)[0], smooth = statistics(surface)[0];
  if (!(all.deviation > 0) || !(smooth.mean > 0)) return;
  double rest = 0;
  for (int y = 0; y < blocks.height(); ++y) {
    for (int x = 0; x < blocks.width(); ++x) {
      const double d = static_cast<double>(blocks.at(x, y)) - static_cast<double>(surface.at(x, y));
      if (std::isfinite(d)) rest += d * d;
    }
  }
  // A slow change of light shows from each block to the next; steps between even areas do not.
  std::vector<std::pair<double, double>> slopes;  // ratio, weight
  const auto step_to = [&](int x, int y, int dx, int dy) {
    const double here = static_cast<double>(blocks.at(x + dx, y + dy)) - static_cast<double>(blocks.at(x, y));
    const double wanted = static_cast<double>(surface.at(x + dx, y + dy)) - static_cast<double>(surface.at(x, y));
    if (std::isfinite(here) && wanted != 0) slopes.emplace_back(here / wanted, std::abs(wanted));
  };
  for (int y = 0; y < blocks.height(); ++y) {
    for (int x = 0; x < blocks.width(); ++x) {
      if (x + 1 < blocks.width()) step_to(x, y, 1, 0);
      if (y + 1 < blocks.height()) step_to(x, y, 0, 1);
    }
  }
  std::sort(slopes.begin(), slopes.end());
  double half = 0;
  for (const auto& [ratio, weight] : slopes) half += 0.5 * weight;
  for (const auto& [ratio, weight] : slopes) {
    f.light_slope = ratio;
    if ((half -= weight) <= 0) break;
  }
  f.light_range = (smooth.maximum - smooth.minimum) / smooth.mean;
  f.light_share =
      std::max(0.0, 1 - rest / (static_cast<double>(blocks.shape().pixels()) * all.deviation * all.deviation));
}

Chain chain_of(const ExposurePlan& plan) {
  std::vector<Filter> steps;
  if (plan.stretch) steps.emplace_back(Stretch{.low = rounded(plan.low, 4), .high = rounded(plan.high, 4)});
  if (plan.local) {
    steps.emplace_back(Clahe{.limit = 2});
  } else if (plan.gamma != 1) {
    steps.emplace_back(Gamma{.exponent = rounded(plan.gamma, 3)});
  }
  return Chain(steps);
}

}  // namespace

Findings examine(const ConstView& in) {
  require_input(in, "examine");
  Findings f;
  f.exposure = exposure(in);
  if (f.exposure.verdict == ExposureVerdict::unreadable) return f;
  // A stretch of each channel leaves its comb there; the luma mixes the channels and hides it.
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const HistogramComb one = comb(histogram(in, {.channel = c, .low = 0, .high = 1}));
    if (c == 0 || one.share > f.comb.share) f.comb = one;
  }
  f.noise = noise_level(in);
  f.sharpness = sharpness(in);
  const Image gray = to_gray(in);
  const ConstView luma = gray.view().channel(0);
  f.impulses = impulse_share(luma);
  for (int c = 0; const ChannelStatistics& s : statistics(in)) {
    if (c++ >= in.shape.color_channels()) break;
    f.at_floor += s.at_floor / in.shape.color_channels();
    f.at_ceiling += s.at_ceiling / in.shape.color_channels();
  }
  measure_light(luma, f);
  using namespace thresholds;
  std::vector<Advice> leave;
  const auto take = [&](Chain chain, std::string reason) {
    f.advice.push_back({true, std::move(chain), std::move(reason)});
  };
  const auto not_this = [&](Chain chain, std::string reason) {
    leave.push_back({false, std::move(chain), std::move(reason)});
  };
  const double impulses = f.impulses.dark + f.impulses.bright;
  if (impulses >= kImpulses && (in.white_level == 0 || in.white_level >= kFewestLevels)) {
    take({Median{}},
         fmt::format("{:.2f} % of the pixels stand out alone (dark {:.2f} %, bright {:.2f} %): a median drops them and "
                     "keeps edges",
                     100 * impulses, 100 * f.impulses.dark, 100 * f.impulses.bright));
    not_this({Gaussian{}}, "it spreads every impulse over its neighbors instead of dropping it");
  }
  const bool uneven = f.light_range >= kLightRange && f.light_share >= kLightShare && f.light_slope > kLightSlopeLow &&
                      f.light_slope < kLightSlopeHigh;
  if (uneven) {
    take({Flatten{.by = BackgroundBy::polynomial}},
         fmt::format("the light looks uneven: a smooth surface over {:.0f} % of its mean explains {:.0f} % of the "
                     "large-scale lightness",
                     100 * f.light_range, 100 * f.light_share));
    not_this({Equalize{}}, "uneven light would be stretched with the rest: correct it first");
  }
  const ExposurePlan plan = plan_exposure(in);
  if (Chain chain = chain_of(plan); !chain.steps().empty() && !uneven) {
    take(std::move(chain), plan.reason);
    if (f.noise > kGrainRaised && (plan.stretch || plan.gamma < 1))
      not_this({Sigmoid{}},
               fmt::format("the noise (deviation {:.3f}) is raised with the contrast: denoise first", f.noise));
  }
  if (f.comb.found)
    not_this({Equalize{}}, fmt::format("the histogram is a comb already ({:.0f} % of its levels are empty): go back to "
                                       "the source and work at a greater depth",
                                       100 * f.comb.share));
  f.advice.insert(f.advice.end(), leave.begin(), leave.end());
  return f;
}

}  // namespace sieve
