#include "sieve/filter/proposal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/lightness.hpp"
#include "sieve/core/map.hpp"
#include "sieve/restore/find_psf.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"

namespace sieve {

namespace {

// Deviation of the grain in classes of brightness, and the line variance = a + b level through them.
struct GrainLine {
  double a = 0, b = 0, low = 0, high = 0;  // low and high: mean levels of the outer classes
  bool found = false;
};

GrainLine grain_line(const ConstView& gray) {
  constexpr int kClasses = 12;
  const Image level = Box{.radius = 3}(gray),
              answer = Correlate{.kernel = Kernel::parse("1,-2,1/-2,4,-2/1,-2,1")}(gray);
  struct Sample {
    float level, answer;
  };
  std::vector<Sample> all;
  for (int y = 1; y + 1 < gray.height(); ++y) {
    for (int x = 1; x + 1 < gray.width(); ++x) {
      const float v = level.at(x, y), r = std::fabs(answer.at(x, y));
      // Where the picture is cut off there is no grain to measure.
      if (std::isfinite(v) && std::isfinite(r) && v > 0.02F && v < 0.98F) all.push_back({v, r});
    }
  }
  GrainLine line;
  if (all.size() < 64 * kClasses) return line;
  std::sort(all.begin(), all.end(), [](const Sample& p, const Sample& q) { return p.level < q.level; });
  std::vector<std::pair<double, double>> points;
  for (int k = 0; k < kClasses; ++k) {
    const auto first = all.begin() + static_cast<std::ptrdiff_t>(all.size() * static_cast<std::size_t>(k) / kClasses);
    const auto last =
        all.begin() + static_cast<std::ptrdiff_t>(all.size() * static_cast<std::size_t>(k + 1) / kClasses);
    double mean = 0;
    for (auto s = first; s != last; ++s) mean += static_cast<double>(s->level);
    mean /= static_cast<double>(last - first);
    // The calmer part of a class: texture only adds.
    std::vector<float> answers;
    for (auto s = first; s != last; ++s) answers.push_back(s->answer);
    const auto cut = answers.begin() + static_cast<std::ptrdiff_t>(answers.size() / 4);
    std::nth_element(answers.begin(), cut, answers.end());
    const double deviation = static_cast<double>(*cut) / (0.31864 * 6);
    points.emplace_back(mean, deviation * deviation);
  }
  // The median of the slopes between pairs (Theil and Sen): a textured class does not turn the line.
  std::vector<double> slopes, offsets;
  for (std::size_t i = 0; i < points.size(); ++i) {
    for (std::size_t j = i + 1; j < points.size(); ++j) {
      if (points[j].first - points[i].first > 0.02)
        slopes.push_back((points[j].second - points[i].second) / (points[j].first - points[i].first));
    }
  }
  if (slopes.size() < 8) return line;
  std::nth_element(slopes.begin(), slopes.begin() + static_cast<std::ptrdiff_t>(slopes.size() / 2), slopes.end());
  line.b = slopes[slopes.size() / 2];
  for (const auto& [x, v] : points) offsets.push_back(v - line.b * x);
  std::nth_element(offsets.begin(), offsets.begin() + static_cast<std::ptrdiff_t>(offsets.size() / 2), offsets.end());
  line.a = std::max(0.0, offsets[offsets.size() / 2]);
  line.low = points.front().first;
  line.high = points.back().first;
  line.found = true;
  return line;
}

struct NamedChain {
  std::string chain, why;
};

// Denoisers for even grain, the best first: measured on pictures of several kinds.
std::vector<NamedChain> against_grain(double s, bool color) {
  const int patch = s <= (color ? 0.07 : 0.03) ? 1 : s <= (color ? 0.15 : 0.1) ? 2 : 3;
  const double strength = patch == 1 ? 0.7 : patch == 2 ? (color ? 0.5 : 0.6) : 0.5;
  return {
      {fmt::format("nonlocal_means patch={} strength={} noise={:.4f}", patch, strength, s),
       "the mean of places that look alike: keeps texture; takes its time"},
      {fmt::format("wavelet_shrink rule=sure noise={:.4f}", s), "large coefficients stay, small ones go"},
      {fmt::format("total_variation weight={:.4f}", s), "even areas with sharp edges: fast, flattens fine texture"}};
}

}  // namespace

Damage measure_damage(const ConstView& in) {
  require_input(in, "measure_damage");
  Damage d;
  Image gray = lightness(in);
  d.impulses = impulse_share(gray);
  const bool enough_levels = in.maximum == 0 || in.maximum >= 31;  // with few levels every step stands out
  d.impulse = enough_levels && d.impulses.dark + d.impulses.bright >= 0.005;
  if (d.impulse) gray = AdaptiveMedian{}(gray);
  d.waves = find_waves(gray);
  d.noise = noise_level(d.impulse ? AdaptiveMedian{}(in) : Image(in));
  d.grain = d.noise >= 0.008;
  if (d.grain) {
    // Of one channel: the luma of three has less grain than each.
    const Image one = in.shape.color_channels() == 1 ? gray
                      : d.impulse                    ? AdaptiveMedian{}(in.channel(1))
                                                     : Image(in.channel(1));
    const GrainLine line = grain_line(one);
    if (line.found && line.b > 0) {
      const double dark = line.a + line.b * line.low, bright = line.a + line.b * line.high;
      d.photon = line.high - line.low > 0.2 && bright > 2 * dark && line.b * line.high > line.a;
      d.photons = 1 / line.b;
      d.floor_noise = std::sqrt(line.a);
    }
  }
  d.blur = edge_blur(gray);
  if (in.width() >= 64 && in.height() >= 64) {
    const FoundPsf motion = psf_from_motion(gray);
    d.shaken = motion.confidence >= 0.7 && d.waves.empty();
    if (d.shaken) d.motion_length = motion.size, d.motion_angle = motion.angle;
  }
  d.blurred = d.blur >= 1.2 && d.blur < 20;
  const auto also = [&](const char* what) { d.kind += (d.kind.empty() ? "" : " and ") + std::string(what); };
  if (d.impulse) also("impulse");
  if (!d.waves.empty()) also("periodic");
  if (d.grain) also(d.photon ? "photon" : "gaussian");
  if (d.kind.empty()) d.kind = "none";
  return d;
}

std::vector<Advice> propose(const Damage& d, bool color) {
  std::vector<Advice> all;
  std::string first, reason;
  const auto then = [](const std::string& a, const std::string& b) {
    return a.empty() ? b : b.empty() ? a : a + " then " + b;
  };
  if (d.impulse) {
    first = "adaptive_median";
    reason = fmt::format("{:.1f} % of the pixels stand out alone: only these are replaced",
                         100 * (d.impulses.dark + d.impulses.bright));
  }
  if (!d.waves.empty()) {
    first = then(first, "remove_waves");
    reason =
        then(reason,
             fmt::format("{} wave{} in the spectrum, the strongest of period {:.2f} pixels: {} taken out, nothing else",
                         d.waves.size(), d.waves.size() == 1 ? " stands out" : "s stand out", d.waves[0].period,
                         d.waves.size() == 1 ? "it is" : "they are"));
  }
  if (d.grain && d.photon) {
    const double peak = d.photons, even = 1 / (2 * std::sqrt(peak + 0.375));
    for (const NamedChain& c : against_grain(even, color)) {
      all.push_back(
          {true,
           then(first, fmt::format("stabilize peak={:.1f} then {} then unstabilize peak={:.1f}", peak, c.chain, peak)),
           then(reason,
                fmt::format("the grain grows with the level like that of {:.0f} photons at white; {}", peak, c.why))});
    }
    return all;
  }
  if (d.grain) {
    for (const NamedChain& c : against_grain(d.noise, color))
      all.push_back({true, then(first, c.chain),
                     then(reason, fmt::format("even grain of deviation {:.4f}; {}", d.noise, c.why))});
    return all;
  }
  if (!first.empty()) {
    all.push_back({true, first, reason});
    if (d.impulse) {
      all.push_back({true, then(d.waves.empty() ? "" : "remove_waves", "median radius=1"),
                     "drops impulses everywhere, and the finest detail with them"});
      all.push_back(
          {true, then(d.waves.empty() ? "" : "remove_waves", "median radius=2"), "for impulses that touch each other"});
    } else {
      std::string points;
      for (const Wave& w : d.waves) points += fmt::format("{}{:.4f},{:.4f}", points.empty() ? "" : "/", w.fx, w.fy);
      all.push_back({true, fmt::format("notch points={} width=0.005", points),
                     "the same in the frequency domain: leaves a rest near the border"});
    }
    return all;
  }
  if (d.shaken) {
    const std::string psf = fmt::format("psf=motion:length={:.1f},angle={:.1f}", d.motion_length, d.motion_angle);
    const std::string why = fmt::format("a straight motion over {:.1f} pixels at {:.1f} degrees shows in the cepstrum",
                                        d.motion_length, d.motion_angle);
    // An estimated PSF is a little wrong, which is worth more noise than there is.
    all.push_back({true, fmt::format("wiener {} noise={:.4f} beyond=taper", psf, std::max(0.005, 2 * d.noise)),
                   why + ": undone as far as the noise allows"});
    all.push_back({true, fmt::format("least_variation {} noise={:.4f} beyond=taper", psf, std::max(0.005, 2 * d.noise)),
                   why + "; even areas and sharp edges, slower"});
    return all;
  }
  if (d.blurred) {
    const double sigma = std::clamp(d.blur, 0.5, 20.0);
    const std::string why = fmt::format(
        "the steepest edges are as wide as a Gaussian of sigma {:.1f} makes them; sharpening steepens them; where the "
        "point spread function is known, wiener brings detail back",
        d.blur);
    all.push_back({true, fmt::format("limited_sharpen sigma={:.2f} amount=1.5", sigma), why + "; without halos"});
    all.push_back({true, fmt::format("unsharp sigma={:.2f} amount=1", sigma), why});
    return all;
  }
  all.push_back({true, "gaussian sigma=0", "neither noise nor blur is worth a filter: leave it as it is"});
  return all;
}

}  // namespace sieve
