#include "denoise/least_risk.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <string>
#include <vector>

#include "sieve/core/random.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

constexpr int kSide = 96, kParts = 4;
// Of the change, in deviations of the noise: larger ones move what nonlocal means take for alike.
constexpr double kChange = 0.03;
constexpr std::uint64_t kSeed = 77;

// Parts spread evenly over a picture, at most two across or down of one that is high or wide enough.
std::vector<Rectangle> parts_of(const Shape& s) {
  const int wide = std::min(kSide, s.width), high = std::min(kSide, s.height);
  const int across = std::clamp(s.width / kSide, 1, s.height < 2 * kSide ? kParts : kParts / 2),
            down = std::clamp(s.height / kSide, 1, kParts / across);
  std::vector<Rectangle> parts;
  for (int j = 0; j < down; ++j) {
    for (int i = 0; i < across; ++i)
      parts.push_back(
          {((2 * i + 1) * s.width / across - wide) / 2, ((2 * j + 1) * s.height / down - high) / 2, wide, high});
  }
  return parts;
}

// Up or down by the same amount, at random; `number` tells the parts apart.
Image changed(const Image& part, int number, float by) {
  Image out(part);
  for (int c = 0; c < part.channels(); ++c) {
    const RandomStream random(kSeed, static_cast<std::uint64_t>(number * 4 + c));
    for (int y = 0; y < part.height(); ++y) {
      for (int x = 0; x < part.width(); ++x) {
        const auto at = static_cast<std::uint64_t>(y) * kSide + static_cast<std::uint64_t>(x);
        out.at(x, y, c) += random.uniform(at) < 0.5 ? -by : by;
      }
    }
  }
  return out;
}

// The sum over all samples of (result - part)^2 + 2 noise^2 (change of the result along that of the part).
double risk(const Image& part, const Image& other, const Image& result, const Image& other_result, double noise,
            double by) {
  double sum = 0;
  for (int c = 0; c < part.channels(); ++c) {
    for (int y = 0; y < part.height(); ++y) {
      for (int x = 0; x < part.width(); ++x) {
        const auto off = static_cast<double>(result.at(x, y, c)) - static_cast<double>(part.at(x, y, c)),
                   moved = static_cast<double>(other_result.at(x, y, c)) - static_cast<double>(result.at(x, y, c));
        sum += off * off + 2 * noise * noise * (other.at(x, y, c) > part.at(x, y, c) ? moved : -moved) / by;
      }
    }
  }
  return sum;
}

}  // namespace

float least_risk_setting(const ConstView& in, double noise, std::span<const float> settings, const SettingRun& run) {
  Watch quiet;
  quiet.follow(current_watch());
  quiet.on_note = [](const std::string&) {};
  const Watch::Active active(quiet);
  const std::vector<Rectangle> parts = parts_of(in.shape);
  const double by = kChange * noise;
  std::vector<double> risks(settings.size());
  Progress progress(static_cast<double>(2 * parts.size() * settings.size()));
  ConstView colors = in;
  colors.shape.channels = in.shape.color_channels();
  for (std::size_t p = 0; p < parts.size(); ++p) {
    Image part(colors.part(parts[p]));
    for (int c = 0; c < part.channels(); ++c) {
      for (int y = 0; y < part.height(); ++y) {
        for (int x = 0; x < part.width(); ++x) {
          if (!std::isfinite(part.at(x, y, c))) part.at(x, y, c) = 0;
        }
      }
    }
    const Image other = changed(part, static_cast<int>(p), static_cast<float>(by));
    const auto one = [&](const Image& of, float setting) {
      progress.expect(1);
      Image result = run(of, parts[p], setting);
      progress.add(1);
      return result;
    };
    for (std::size_t i = 0; i < settings.size(); ++i)
      risks[i] += risk(part, other, one(part, settings[i]), one(other, settings[i]), noise, by);
  }
  const auto best = static_cast<std::size_t>(std::min_element(risks.begin(), risks.end()) - risks.begin());
  const auto at = [&](std::size_t i) { return std::log(static_cast<double>(settings[i])); };
  double found = at(best);
  if (best > 0 && best + 1 < settings.size()) {
    // Newton's form through three points.
    const double low = (risks[best] - risks[best - 1]) / (at(best) - at(best - 1)),
                 high = (risks[best + 1] - risks[best]) / (at(best + 1) - at(best)),
                 bend = (high - low) / (at(best + 1) - at(best - 1)),
                 middle = 0.5 * (at(best - 1) + at(best)) - low / (2 * bend);
    if (bend > 0) found = std::clamp(middle, at(best - 1), at(best + 1));
  }
  const double step = std::log(1.02);
  return static_cast<float>(std::exp(step * std::round(found / step)));
}

double cost_of_least_risk(const Shape& in, std::size_t settings) {
  const std::vector<Rectangle> parts = parts_of(in);
  const double share = static_cast<double>(parts.size()) * parts[0].width * parts[0].height /
                       (static_cast<double>(in.width) * in.height);
  return 2 * share * static_cast<double>(settings);
}

}  // namespace sieve::internal
