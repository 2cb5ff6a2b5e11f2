#include "sieve/diagnose/damage.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/luma.hpp"
#include "denoise/block_noise.hpp"
#include "diagnose/rounded.hpp"
#include "diagnose/thresholds.hpp"
#include "sieve/core/map.hpp"
#include "sieve/denoise.hpp"
#include "sieve/restore.hpp"
#include "sieve/sharpen.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/spectral/notch.hpp"

namespace sieve {

using namespace internal;
using namespace internal::thresholds;

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

struct Candidate {
  Filter filter;
  std::string why;
};

// Denoisers for even grain, the best first: what they lose is the mean over fifteen photographs in
// docs/photographs.md.
std::vector<Candidate> against_grain(double s) {
  const auto noise = static_cast<float>(rounded(s, 4));
  return {
      {BlockMatching{.noise = noise}, "groups of like blocks: the best, at about a second for a megapixel and channel"},
      {BlockMatching{.noise = noise, .effort = BlockEffort::fast}, "the same in half the time, for about 0.3 dB"},
      {WaveletShrink{.noise = noise}, "large coefficients stay, small ones go: far faster, for 1.5 dB"},
      {NonlocalMeans{.noise = noise}, "the mean of places that look alike: for 1 to 2 dB"}};
}

// `more` behind `first`, with "then" where there is both.
std::string and_then(const std::string& first, const std::string& more) {
  return first.empty() ? more : more.empty() ? first : first + " then " + more;
}

Chain longer(const Chain& first, std::vector<Filter> more) {
  std::vector<Filter> all = first.steps();
  all.insert(all.end(), more.begin(), more.end());
  return Chain(all);
}

}  // namespace

Damage measure_damage(const ConstView& in) {
  require_input(in, "measure_damage");
  Damage d;
  Image gray = luma_of(in);
  d.impulses = impulse_share(gray);
  const bool enough_levels = in.white_level == 0 || in.white_level >= kFewestLevels;
  d.impulse = enough_levels && d.impulses.dark + d.impulses.bright >= kImpulses;
  if (d.impulse) gray = AdaptiveMedian{}(gray);
  d.waves = find_periodic_noise(gray);
  d.noise = noise_level(d.impulse ? AdaptiveMedian{}(in) : Image(in));
  d.grain = d.noise >= kGrain;
  // What mended impulses is alike in neighbors, too, and so is a wave.
  if (!d.impulse && d.waves.empty() && std::min(gray.width(), gray.height()) >= kCoarseSide) {
    const BlockNoise flat = BlockNoise::in_flat_parts(gray, gray);
    d.coarse = !flat.white() && flat.deviation() >= kGrain;
    if (d.coarse) d.coarse_noise = flat.deviation();
  }
  if (d.grain) {
    // Of one channel: the luma of three has less grain than each.
    const Image one = in.shape.color_channels() == 1 ? gray
                      : d.impulse                    ? AdaptiveMedian{}(in.channel(1))
                                                     : Image(in.channel(1));
    const GrainLine line = grain_line(one);
    if (line.found && line.b > 0) {
      const double dark = line.a + line.b * line.low, bright = line.a + line.b * line.high;
      d.photon = line.high - line.low > kPhotonSpan && bright > kPhotonRise * dark && line.b * line.high > line.a;
      d.photons = 1 / line.b;
      d.floor_noise = std::sqrt(line.a);
    }
  }
  d.blur = edge_blur(gray);
  if (in.width() >= kMotionSide && in.height() >= kMotionSide) {
    const FoundPsf motion = psf_from_motion(gray);
    d.shaken = motion.confidence >= kMotion && d.waves.empty();
    if (d.shaken) d.motion_length = motion.size, d.motion_angle = motion.angle;
  }
  d.blurred = d.blur >= kBlurred && d.blur < kNoEdges;
  return d;
}

std::string Damage::words() const {
  std::string s;
  const auto also = [&s](const char* what) { s += (s.empty() ? "" : " and ") + std::string(what); };
  if (impulse) also("impulse");
  if (!waves.empty()) also("periodic");
  if (coarse || grain) also(coarse ? "coarse" : photon ? "photon" : "gaussian");
  return s.empty() ? "none" : s;
}

std::vector<Advice> propose(const Damage& d) {
  std::vector<Advice> all;
  const auto offer = [&](Chain chain, std::string reason) {
    all.push_back({true, std::move(chain), std::move(reason)});
  };
  Chain first;
  std::string reason;
  if (d.impulse) {
    first = {AdaptiveMedian{}};
    reason = fmt::format("{:.1f} % of the pixels stand out alone: only these are replaced",
                         100 * (d.impulses.dark + d.impulses.bright));
  }
  if (!d.waves.empty()) {
    first = longer(first, {RemovePeriodicNoise{}});
    const bool one = d.waves.size() == 1;
    reason = and_then(
        reason, fmt::format("{} wave{} in the spectrum, the strongest of period {:.2f} pixels: {} taken out, nothing "
                            "else",
                            d.waves.size(), one ? " stands out" : "s stand out", d.waves[0].period,
                            one ? "it is" : "they are"));
  }
  if (d.coarse) {
    const std::string why = fmt::format(
        "grain of deviation {:.4f} that is alike in neighbors, as a camera, a scan or a JPEG leaves it; its "
        "spectrum is measured in flat parts",
        d.coarse_noise);
    offer(longer(first, {BlockMatching{}}), and_then(reason, why));
    offer(longer(first, {BlockMatching{.effort = BlockEffort::fast}}),
          and_then(reason, "the same in half the time, for about 0.3 dB"));
    return all;
  }
  if (d.grain && d.photon) {
    const double peak = rounded(d.photons, 1), even = 1 / (2 * std::sqrt(d.photons + 0.375));
    for (const Candidate& c : against_grain(even))
      offer(longer(first, {Anscombe{.peak = peak}, c.filter, InverseAnscombe{.peak = peak}}),
            and_then(reason, fmt::format("the grain grows with the level like that of {:.0f} photons at white; {}",
                                         d.photons, c.why)));
    return all;
  }
  if (d.grain) {
    for (const Candidate& c : against_grain(d.noise))
      offer(longer(first, {c.filter}),
            and_then(reason, fmt::format("even grain of deviation {:.4f}; {}", d.noise, c.why)));
    return all;
  }
  if (!first.steps().empty()) {
    offer(first, reason);
    const Chain waves = d.waves.empty() ? Chain() : Chain{RemovePeriodicNoise{}};
    if (d.impulse) {
      offer(longer(waves, {Median{}}), "drops impulses everywhere, and the finest detail with them");
      offer(longer(waves, {Median{.radius = 2}}), "for impulses that touch each other");
    } else {
      FrequencyPoints points{{}};
      for (const PeriodicWave& w : d.waves) points.points.emplace_back(rounded(w.fx, 4), rounded(w.fy, 4));
      offer({Notch{.points = points, .width = 0.005}},
            "the same in the frequency domain: leaves a rest near the border");
    }
    return all;
  }
  if (d.shaken) {
    const Kernel psf = Kernel::motion(rounded(d.motion_length, 1), rounded(d.motion_angle, 1));
    const auto noise = static_cast<float>(rounded(std::max(kPsfNoise, kPsfNoiseTimes * d.noise), 4));
    const std::string why = fmt::format("a straight motion over {:.1f} pixels at {:.1f} degrees shows in the cepstrum",
                                        d.motion_length, d.motion_angle);
    offer({Wiener{.psf = psf, .noise = noise, .border = Border::taper}}, why + ": undone as far as the noise allows");
    offer({TotalVariationDeconvolution{.psf = psf, .noise = noise, .border = Border::taper}},
          why + "; even areas and sharp edges, slower");
    return all;
  }
  if (d.blurred) {
    const double sigma = rounded(std::clamp(d.blur, 0.5, kNoEdges), 2);
    const std::string why = fmt::format(
        "the steepest edges are as wide as a Gaussian of sigma {:.1f} makes them; sharpening steepens them; where the "
        "point spread function is known, wiener brings detail back",
        d.blur);
    offer({BoundedUnsharp{.sigma = sigma, .amount = 1.5}}, why + "; without halos");
    offer({Unsharp{.sigma = sigma}}, why);
    return all;
  }
  offer({Gaussian{.sigma = 0}}, "neither noise nor blur is worth a filter: leave it as it is");
  return all;
}

}  // namespace sieve
