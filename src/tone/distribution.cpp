#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

#include "sieve/tone/match.hpp"
#include "tone/number_pairs.hpp"

namespace sieve {

using namespace internal;

namespace {

const char* const kAllowed =
    "uniform, normal:mean=0.5,deviation=0.2, rayleigh:scale=0.3, or @FILE with rows level,density";

[[noreturn]] void refuse(std::string_view text, const std::string& why) {
  throw InvalidArgument(fmt::format("distribution '{}': {}; give {}", text, why, kAllowed));
}

// "mean=0.5,deviation=0.2" over what is allowed.
std::map<std::string, double> numbers(std::string_view text, std::string_view words,
                                      std::map<std::string, double> values) {
  while (!words.empty()) {
    const std::string_view word = words.substr(0, words.find(','));
    words.remove_prefix(std::min(words.size(), word.size() + 1));
    const std::size_t equals = word.find('=');
    const auto found = values.find(std::string(word.substr(0, equals)));
    const auto v = equals == std::string_view::npos ? std::nullopt : internal::parse_number(word.substr(equals + 1));
    if (found == values.end() || !v || !std::isfinite(*v))
      refuse(text, fmt::format("'{}' is no parameter with a number", word));
    found->second = *v;
  }
  return values;
}

}  // namespace

LevelDistribution LevelDistribution::parse(std::string_view text) {
  LevelDistribution d{std::string(text)};
  std::vector<double> density;
  // Smooth forms are curves of so many corners: closer than a 16-bit level.
  constexpr int kParts = 65536;
  const auto smooth = [&](auto f) {
    for (int i = 0; i <= kParts; ++i) {
      d.levels_.push_back(static_cast<double>(i) / kParts);
      density.push_back(f(d.levels_.back()));
    }
  };
  const std::string_view name = text.substr(0, text.find(':')),
                         words = name.size() < text.size() ? text.substr(name.size() + 1) : std::string_view();
  if (name == "uniform") {
    if (!words.empty()) refuse(text, "uniform takes no parameter");
    d.levels_ = {0, 1};
    density = {1, 1};
  } else if (name == "normal") {
    const auto p = numbers(text, words, {{"mean", 0.5}, {"deviation", 0.2}});
    const double mean = p.at("mean"), deviation = p.at("deviation");
    if (!(deviation >= 0.001) || !(mean >= 0) || !(mean <= 1))
      refuse(text, "mean is 0 to 1 and deviation 0.001 or more");
    smooth([&](double v) { return std::exp(-0.5 * (v - mean) * (v - mean) / (deviation * deviation)); });
  } else if (name == "rayleigh") {
    const double scale = numbers(text, words, {{"scale", 0.3}}).at("scale");
    if (!(scale >= 0.001)) refuse(text, "scale is 0.001 or more");
    smooth([&](double v) { return v * std::exp(-0.5 * v * v / (scale * scale)); });
  } else {
    NumberPairs rows;
    const std::string_view shown = text.substr(0, 60);
    if (const std::string why = read_number_pairs(text, true, rows); !why.empty()) refuse(shown, why);
    for (const auto& [level, value] : rows.pairs) {
      if (level < 0 || level > 1 || value < 0)
        refuse(shown, fmt::format("{},{} is no level in 0..1 with a density of 0 or more", level, value));
      d.levels_.push_back(level);
      density.push_back(value);
    }
    if (d.levels_.size() < 2) refuse(text, "a curve has two rows or more");
    d.text_ = rows.text;
  }
  d.cumulative_ = {0};
  double sum = 0;
  for (std::size_t i = 1; i < density.size(); ++i) {
    sum += 0.5 * (density[i] + density[i - 1]) * (d.levels_[i] - d.levels_[i - 1]);
    d.cumulative_.push_back(sum);
  }
  if (!(sum > 0)) refuse(text, "all densities are 0");
  for (double& c : d.cumulative_) c /= sum;
  // A curve from a file has few corners: between them the cumulative curve bends, so it is laid out finely.
  if (d.levels_.size() < 1000) {
    std::vector<double> levels = {d.levels_[0]}, cumulative = {0};
    constexpr int kSteps = 256;
    for (std::size_t i = 1; i < density.size(); ++i) {
      const double width = d.levels_[i] - d.levels_[i - 1], a = density[i - 1], b = density[i];
      for (int k = 1; k <= kSteps; ++k) {
        const double t = static_cast<double>(k) / kSteps;
        levels.push_back(d.levels_[i - 1] + t * width);
        cumulative.push_back(d.cumulative_[i - 1] + width * (a * t + 0.5 * (b - a) * t * t) / sum);
      }
    }
    d.levels_ = std::move(levels);
    d.cumulative_ = std::move(cumulative);
  }
  return d;
}

double LevelDistribution::quantile(double share) const {
  if (share <= 0)
    return levels_[static_cast<std::size_t>(std::upper_bound(cumulative_.begin(), cumulative_.end(), 0.0) -
                                            cumulative_.begin()) -
                   1];
  const auto next = std::lower_bound(cumulative_.begin(), cumulative_.end(), share);
  if (next == cumulative_.end()) return levels_.back();
  const auto i = static_cast<std::size_t>(next - cumulative_.begin());
  const double rise = cumulative_[i] - cumulative_[i - 1];
  return rise > 0 ? levels_[i - 1] + (share - cumulative_[i - 1]) / rise * (levels_[i] - levels_[i - 1]) : levels_[i];
}

LevelDistribution TextValue<LevelDistribution>::parse(std::string_view s, const Resources& r) {
  if (!s.starts_with('@')) return LevelDistribution::parse(s);
  return LevelDistribution::parse(r.open_text(std::string(s.substr(1))));
}
const char* TextValue<LevelDistribution>::allowed() { return kAllowed; }

}  // namespace sieve
