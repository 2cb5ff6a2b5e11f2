#include <algorithm>
#include <array>

#include "reference/families.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/tone.hpp"

namespace sieve {

namespace {

using reference::map_levels;

double number(Real v) { return static_cast<double>(v); }

Image gamma(const Gamma& f, const ConstView& in) {
  return map_levels(in, [k = number(f.exponent)](double v) { return std::copysign(std::pow(std::abs(v), k), v); });
}

// Tiles to a side of so many pixels.
int tiles(int length, int wished, const std::optional<int>& size) {
  if (size) wished = static_cast<int>(std::lround(static_cast<double>(length) / *size));
  return std::clamp(wished, 1, std::min(length, 256));
}

Image clahe(const Clahe& f, const ConstView& in) {
  return reference::clahe(in, tiles(in.width(), f.columns, f.size), tiles(in.height(), f.rows, f.size), f.limit, f.bins,
                          f.strength, f.color == ColorBy::luma);
}

Image auto_exposure(const AutoExposure&, const ConstView& in) {
  const ExposurePlan plan = plan_exposure(in);
  const Image line = plan.stretch
                         ? reference::stretch(in, static_cast<float>(plan.low), static_cast<float>(plan.high), 0, 1, 0)
                         : Image(in);
  if (plan.local) return clahe({.limit = 2}, line);
  return plan.gamma != 1 ? gamma({.exponent = plan.gamma}, line) : line;
}

void define_curves(reference::Definitions& d) {
  d.add<Gamma>(1e-5, gamma);
  d.add<Logarithm>(1e-5, [](const Logarithm& f, const ConstView& in) {
    return map_levels(in, [k = number(f.strength)](double v) {
      return std::copysign(std::log1p(k * std::abs(v)) / std::log1p(k), v);
    });
  });
  d.add<Sigmoid>(1e-5, [](const Sigmoid& f, const ConstView& in) {
    const auto s = [k = number(f.steepness), m = number(f.center)](double v) {
      return 1 / (1 + std::exp(-k * (v - m)));
    };
    return map_levels(in, [s](double v) { return (s(v) - s(0)) / (s(1) - s(0)); });
  });
  d.add<Curve>(1e-6, [](const Curve& f, const ConstView& in) { return map_levels(in, f.points); });
  d.add<Brightness>(1e-6, [](const Brightness& f, const ConstView& in) {
    return map_levels(in, [k = number(f.amount)](double v) { return v + k; });
  });
  d.add<Contrast>(1e-5, [](const Contrast& f, const ConstView& in) {
    return map_levels(in, [k = number(f.factor), p = number(f.pivot)](double v) { return p + k * (v - p); });
  });
  d.add<Invert>(1e-6,
                [](const Invert&, const ConstView& in) { return map_levels(in, [](double v) { return 1 - v; }); });
  d.add<Solarize>(1e-6, [](const Solarize& f, const ConstView& in) {
    return map_levels(in, [k = number(f.level)](double v) { return v > k ? 1 - v : v; });
  });
  d.add<Linearize>(1e-5, [](const Linearize&, const ConstView& in) { return map_levels(in, reference::to_light); });
  d.add<Encode>(1e-5, [](const Encode&, const ConstView& in) { return map_levels(in, reference::from_light); });
}

}  // namespace

void internal::define_tone(reference::Definitions& d) {
  define_curves(d);
  d.add<Clip>(0, [](const Clip& f, const ConstView& in) { return reference::clip(in, f.low, f.high); });
  d.add<Stretch>(1e-5, [](const Stretch& f, const ConstView& in) {
    return reference::stretch(in, f.low, f.high, f.to_low, f.to_high, f.percent);
  });
  d.add<Absolute>(0, [](const Absolute&, const ConstView& in) { return reference::absolute(in); });
  d.add<Gray>(1e-6, [](const Gray& f, const ConstView& in) { return reference::gray(in, f.by); });
  d.add<Equalize>(1e-5, [](const Equalize& f, const ConstView& in) {
    const int of_source = in.white_level > 0 ? static_cast<int>(in.white_level) + 1 : 256;
    return reference::equalize(in, f.levels.value_or(of_source), f.color == ColorBy::luma);
  });
  d.add<Clahe>(2e-5, clahe);
  d.add<Match>(2e-5, [](const Match& f, const ConstView& in) {
    return reference::match(in, f.with.image("match", "with"), f.color == ColorBy::luma, f.bins);
  });
  d.add<MatchDistribution>(2e-5, [](const MatchDistribution& f, const ConstView& in) {
    return reference::match_distribution(
        in, [&f](double share) { return f.to.quantile(share); }, f.color == ColorBy::luma, f.bins);
  });
  d.add<AutoExposure>(1e-4, auto_exposure);
  d.add<Threshold>(0, [](const Threshold& f, const ConstView& in) {
    if (f.by == ThresholdBy::local)
      return reference::local_threshold(in, static_cast<int>(f.radius), f.offset, f.border);
    return reference::threshold(in, f.by == ThresholdBy::level ? std::optional<double>(f.level) : std::nullopt);
  });
}

}  // namespace sieve
