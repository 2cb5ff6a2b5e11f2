#include <algorithm>
#include <array>
#include <numbers>

#include "reference/families.hpp"
#include "sieve/reference/tone.hpp"
#include "sieve/tone.hpp"

namespace sieve {

using namespace internal;

namespace {

using reference::map_colors;
using reference::Triple;

constexpr double kRadians = std::numbers::pi / 180;

bool colored(const ConstView& in) { return in.shape.color_channels() == 3; }

// change(a, b) of the two color axes of OKLab, the lightness as it was.
template <class Change>
Image with_axes(const ConstView& in, Change change) {
  if (!colored(in)) return Image(in);
  return map_colors(in, [change](const Triple& rgb) {
    const auto [l, a, b] = reference::to_oklab(rgb);
    const auto [x, y] = change(a, b);
    return reference::from_oklab({l, x, y});
  });
}

// A factor for each channel in linear light. Pixels with a channel at an end of the range have no vote.
Image white_balance(const WhiteBalance& f, const ConstView& in) {
  if (!colored(in)) return Image(in);
  constexpr int kParts = 4096;
  std::array<std::vector<double>, 3> votes;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const float r = in.at(x, y, 0), g = in.at(x, y, 1), b = in.at(x, y, 2);
      if (!(std::min({r, g, b}) > 0.02F && std::max({r, g, b}) < 0.98F)) continue;
      for (int c = 0; c < 3; ++c) votes[static_cast<std::size_t>(c)].push_back(static_cast<double>(in.at(x, y, c)));
    }
  }
  if (votes[0].empty()) return Image(in);
  const auto n = static_cast<double>(votes[0].size());
  Triple level{};
  for (std::size_t c = 0; c < 3; ++c) {
    if (f.by == BalanceBy::gray_world) {
      for (const double v : votes[c]) level[c] += reference::to_light(v) / n;
      continue;
    }
    // The part of 0..1 in which the percentile from above lies, at its middle.
    std::sort(votes[c].rbegin(), votes[c].rend());
    const auto skipped = static_cast<std::size_t>(n * static_cast<double>(f.percent) / 100);
    const double at = votes[c][std::min(skipped, votes[c].size() - 1)];
    level[c] = reference::to_light((std::floor(static_cast<double>(static_cast<float>(at) * kParts)) + 0.5) / kParts);
  }
  const double target = 0.2126 * level[0] + 0.7152 * level[1] + 0.0722 * level[2];
  return map_colors(in, [&](const Triple& rgb) {
    const auto one = [&](std::size_t c) {
      return reference::from_light(std::clamp(target / level[c], 0.125, 8.0) * reference::to_light(rgb[c]));
    };
    return Triple{one(0), one(1), one(2)};
  });
}

}  // namespace

void internal::define_color(reference::Definitions& d) {
  // The cube root is steep near black, and cubes of three rounded sums are added up.
  d.add<ToOklab>(3 * kSummed, [](const ToOklab&, const ConstView& in) { return map_colors(in, reference::to_oklab); });
  d.add<FromOklab>(4 * kSummed, [](const FromOklab&, const ConstView& in) {
    if (colored(in)) return map_colors(in, reference::from_oklab);
    return map_colors(in, [](const Triple& l) { return reference::from_oklab({l[0], 0, 0}); });
  });
  d.add<ToHsv>(kRounded, [](const ToHsv&, const ConstView& in) {
    return colored(in) ? map_colors(in, reference::to_hsv) : Image(in);
  });
  d.add<FromHsv>(kSummed, [](const FromHsv&, const ConstView& in) {
    return colored(in) ? map_colors(in, reference::from_hsv) : Image(in);
  });
  // Through OKLab and back, where a cube root makes differences near black larger: 2.0e-5 measured.
  d.add<Saturate>(5e-5, [](const Saturate& f, const ConstView& in) {
    return with_axes(in, [k = static_cast<double>(f.factor)](double a, double b) { return std::pair(k * a, k * b); });
  });
  // Through OKLab and back, where a cube root makes differences near black larger: 1.2e-5 measured.
  d.add<HueShift>(3e-5, [](const HueShift& f, const ConstView& in) {
    return with_axes(in, [t = static_cast<double>(f.degrees) * kRadians](double a, double b) {
      return std::pair(a * std::cos(t) - b * std::sin(t), a * std::sin(t) + b * std::cos(t));
    });
  });
  // Through OKLab and back, where a cube root makes differences near black larger: 5.6e-6 measured.
  d.add<KeepHue>(2e-5, [](const KeepHue& f, const ConstView& in) {
    const double middle = static_cast<double>(f.hue) * kRadians, keep = 0.5 * static_cast<double>(f.width) * kRadians,
                 fade = std::max(1e-6, static_cast<double>(f.soft) * kRadians);
    return with_axes(in, [=](double a, double b) {
      const double away = std::abs(std::remainder(std::atan2(b, a) - middle, 2 * std::numbers::pi));
      const double share = 0.5 + 0.5 * std::cos(std::numbers::pi * std::clamp((away - keep) / fade, 0.0, 1.0));
      return std::pair(share * a, share * b);
    });
  });
  d.add<WhiteBalance>(2 * kRounded, white_balance);  // two curves, one after the other
}

}  // namespace sieve
