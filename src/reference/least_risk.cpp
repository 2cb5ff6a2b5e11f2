#include <algorithm>
#include <cmath>

#include "sieve/core/random.hpp"
#include "sieve/reference/denoise.hpp"

namespace sieve {

double reference::least_risk_setting(
    const ConstView& in, double noise, const std::vector<double>& settings,
    const std::function<Image(const ConstView& part, const Rectangle& place, double setting)>& run) {
  const int wide = std::min(96, in.width()), high = std::min(96, in.height()),
            across = std::min(in.height() < 192 ? 4 : 2, std::max(1, in.width() / 96)),
            down = std::min(4 / across, std::max(1, in.height() / 96));
  const double step = 0.03 * noise;
  std::vector<double> risks(settings.size());
  for (int p = 0; p < across * down; ++p) {
    const Rectangle place{((2 * (p % across) + 1) * in.width() / across - wide) / 2,
                          ((2 * (p / across) + 1) * in.height() / down - high) / 2, wide, high};
    Image part(Shape{wide, high, in.shape.color_channels()});
    std::vector<double> signs;
    for (int c = 0; c < part.channels(); ++c) {
      const RandomStream random(77, static_cast<std::uint64_t>(4 * p + c));
      for (int y = 0; y < high; ++y) {
        for (int x = 0; x < wide; ++x) {
          const float v = in.at(place.x + x, place.y + y, c);
          part.at(x, y, c) = std::isfinite(v) ? v : 0;
          signs.push_back(random.uniform(static_cast<std::uint64_t>(96 * y + x)) < 0.5 ? -1 : 1);
        }
      }
    }
    Image moved(part);
    const auto each = [&](const auto& work) {
      std::size_t i = 0;
      for (int c = 0; c < part.channels(); ++c) {
        for (int y = 0; y < high; ++y) {
          for (int x = 0; x < wide; ++x) work(x, y, c, signs[i++]);
        }
      }
    };
    each([&](int x, int y, int c, double sign) { moved.at(x, y, c) += static_cast<float>(sign * step); });
    for (std::size_t k = 0; k < settings.size(); ++k) {
      const Image one = run(part, place, settings[k]), two = run(moved, place, settings[k]);
      each([&](int x, int y, int c, double sign) {
        const double v = one.at(x, y, c);
        risks[k] += std::pow(v - static_cast<double>(part.at(x, y, c)), 2) +
                    2 * noise * noise * sign * (static_cast<double>(two.at(x, y, c)) - v) / step;
      });
    }
  }
  std::size_t best = 0;
  for (std::size_t k = 1; k < risks.size(); ++k) best = risks[k] < risks[best] ? k : best;
  double found = std::log(settings[best]);
  if (best > 0 && best + 1 < risks.size()) {
    // The vertex, as the weighted mean of the three that Lagrange's form gives.
    const double a = std::log(settings[best - 1]), b = found, c = std::log(settings[best + 1]),
                 u = risks[best - 1] / (a - b) / (a - c), v = risks[best] / (b - a) / (b - c),
                 w = risks[best + 1] / (c - a) / (c - b);
    if (u + v + w > 0) found = std::clamp((u * (b + c) + v * (a + c) + w * (a + b)) / (2 * (u + v + w)), a, c);
  }
  return std::pow(1.02, std::round(found / std::log(1.02)));
}

}  // namespace sieve
