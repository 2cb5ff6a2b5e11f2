#include <algorithm>
#include <array>

#include "reference/families.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/tone.hpp"

namespace sieve {

using namespace internal;

namespace {

using reference::map_levels;

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

// The counts of the luma in 4096 parts of 0..1, and the share of samples below a level, straight within a part.
class LumaShares {
 public:
  explicit LumaShares(const ConstView& in) : counts_(kParts) {
    const Image gray = reference::gray(in, GrayBy::rec709);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = gray.at(x, y);
        if (!(v >= 0 && v <= 1)) continue;
        ++counts_[std::min<std::size_t>(kParts - 1, static_cast<std::size_t>(v * static_cast<float>(kParts)))];
        ++total_;
      }
    }
  }
  bool empty() const { return total_ == 0; }
  double below(double level) const {
    const double place = level * static_cast<double>(kParts);
    double sum = 0;
    for (std::size_t i = 0; i < kParts; ++i)
      sum += std::clamp(place - static_cast<double>(i), 0.0, 1.0) * static_cast<double>(counts_[i]);
    return sum / static_cast<double>(total_);
  }
  // The level below which that share lies, by halving; the lowest of those where several do.
  double level(double share) const {
    double low = 0, high = 1;
    for (int i = 0; i < 50; ++i) {
      const double middle = (low + high) / 2;
      (below(middle) < share ? low : high) = middle;
    }
    return high;
  }

 private:
  static constexpr std::size_t kParts = 4096;
  std::vector<std::size_t> counts_;
  std::size_t total_ = 0;
};

// As exposure() states it.
Image auto_exposure(const AutoExposure&, const ConstView& in) {
  const LumaShares luma(in);
  if (luma.empty()) return Image(in);
  double low = 1, high = 0, lightest = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const LumaShares one(in.channel(c));
    if (one.empty()) continue;
    low = std::min(low, one.level(0.005));
    high = std::max(high, one.level(0.995));
    lightest = std::max(lightest, one.level(0.9995));
  }
  if (high - low < 1e-3) return Image(in);
  double from = 0, to = 1;
  Image line(in);
  if ((low > 0.17 && high < 0.83) || lightest < 0.6 || low > 0.4) {
    // The line through (low, black) and (high, white).
    const double black = std::min(low, 0.06), white = std::max(high, 0.94), rise = (white - black) / (high - low);
    from = low - black / rise;
    to = from + 1 / rise;
    line = reference::stretch(in, static_cast<float>(from), static_cast<float>(to), 0, 1, 0);
  }
  const auto at = [&](double level) { return from + level * (to - from); };
  const double dark = luma.below(at(0.15)), bright = 1 - luma.below(at(0.8)),
               median = (luma.level(0.5) - from) / (to - from);
  if (dark >= 0.4 && bright >= 0.2) return clahe({.limit = 2}, line);
  if (median < 0.16 && bright < 0.02)
    return gamma({.exponent = std::clamp(std::log(0.4) / std::log(std::max(median, 1e-4)), 0.3, 1.0)}, line);
  return line;
}

void define_curves(reference::Definitions& d) {
  d.add<Gamma>(kRounded, gamma);
  d.add<Logarithm>(kRounded, [](const Logarithm& f, const ConstView& in) {
    return map_levels(in, [k = number(f.strength)](double v) {
      return std::copysign(std::log1p(k * std::abs(v)) / std::log1p(k), v);
    });
  });
  d.add<Sigmoid>(kRounded, [](const Sigmoid& f, const ConstView& in) {
    const auto s = [k = number(f.steepness), m = number(f.center)](double v) {
      return 1 / (1 + std::exp(-k * (v - m)));
    };
    return map_levels(in, [s](double v) { return (s(v) - s(0)) / (s(1) - s(0)); });
  });
  d.add<Curve>(kRounded, [](const Curve& f, const ConstView& in) { return map_levels(in, f.points); });
  d.add<Brightness>(kRounded, [](const Brightness& f, const ConstView& in) {
    return map_levels(in, [k = number(f.amount)](double v) { return v + k; });
  });
  d.add<Gain>(kRounded, [](const Gain& f, const ConstView& in) {
    return map_levels(in, [k = number(f.factor)](double v) { return k * v; });
  });
  d.add<Contrast>(kRounded, [](const Contrast& f, const ConstView& in) {
    return map_levels(in, [k = number(f.factor), p = number(f.pivot)](double v) { return p + k * (v - p); });
  });
  d.add<Invert>(kRounded,
                [](const Invert&, const ConstView& in) { return map_levels(in, [](double v) { return 1 - v; }); });
  d.add<Solarize>(kRounded, [](const Solarize& f, const ConstView& in) {
    return map_levels(in, [k = number(f.level)](double v) { return v > k ? 1 - v : v; });
  });
  d.add<Linearize>(kRounded, [](const Linearize&, const ConstView& in) { return map_levels(in, reference::to_light); });
  d.add<Encode>(kRounded, [](const Encode&, const ConstView& in) { return map_levels(in, reference::from_light); });
}

}  // namespace

void internal::define_tone(reference::Definitions& d) {
  define_curves(d);
  d.add<Clip>(kExact, [](const Clip& f, const ConstView& in) { return reference::clip(in, f.low, f.high); });
  d.add<Stretch>(kRounded, [](const Stretch& f, const ConstView& in) {
    return reference::stretch(in, f.low, f.high, f.to_low, f.to_high, f.percent);
  });
  d.add<Absolute>(kExact, [](const Absolute&, const ConstView& in) { return reference::absolute(in); });
  d.add<Gray>(kRounded, [](const Gray& f, const ConstView& in) { return reference::gray(in, f.by); });
  d.add<Equalize>(kRounded, [](const Equalize& f, const ConstView& in) {
    const int of_source = in.white_level > 0 ? static_cast<int>(in.white_level) + 1 : 256;
    return reference::equalize(in, f.levels.value_or(of_source), f.color == ColorBy::luma);
  });
  // A curve through cumulated counts, read between four tiles: 1.5e-6 measured.
  d.add<Clahe>(4e-6, clahe);
  // A quantile between two bins, whose share may be small: 2.3e-6 measured.
  d.add<Match>(6e-6, [](const Match& f, const ConstView& in) {
    return reference::match(in, f.with.image("match", "with"), f.color == ColorBy::luma, f.bins);
  });
  // A luma near white is put on colors by a division by what is missing to white: 2.7e-4 measured on samples beyond it.
  d.add<MatchDistribution>(5e-4, [](const MatchDistribution& f, const ConstView& in) {
    return reference::match_distribution(
        in, [&f](double share) { return f.to.quantile(share); }, f.color == ColorBy::luma, f.bins);
  });
  // A line and CLAHE.
  d.add<AutoExposure>(4e-6, auto_exposure);
  d.add<Threshold>(kExact, [](const Threshold& f, const ConstView& in) {
    if (f.by == ThresholdBy::local)
      return reference::local_threshold(in, static_cast<int>(f.radius), f.offset, f.border);
    return reference::threshold(in, f.by == ThresholdBy::level ? std::optional<double>(f.level) : std::nullopt);
  });
}

}  // namespace sieve
