#include "diagnose/proposals.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <utility>

#include "diagnose/rounded.hpp"
#include "diagnose/thresholds.hpp"
#include "sieve/denoise.hpp"
#include "sieve/filter/plug_and_play.hpp"
#include "sieve/illumination/background.hpp"
#include "sieve/restore.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/spectral/notch.hpp"
#include "sieve/tone/curve.hpp"
#include "sieve/tone/equalize.hpp"
#include "sieve/tone/point.hpp"

namespace sieve::internal {

using namespace thresholds;

namespace {

// A part of a chain: what it is for, what it brought on the mean over fifteen photographs, and why.
struct Part {
  std::vector<Filter> steps;
  double gain = 0;
  std::string why;
};

// Denoisers for even grain, the best first: what the faster ones lose is in docs/photographs.md.
std::vector<Part> against_grain(double s) {
  const auto noise = static_cast<float>(rounded(s, 4));
  // PSNR that block_matching gained there at deviations of 5 to 25 of 255 rises by the octave.
  const double gain = std::max(0.0, 8.4 + 1.7 * std::log2(s * 255 / 5));
  return {
      {{BlockMatching{.noise = noise}},
       gain,
       "groups of like blocks: the best, at about a second for a megapixel and channel"},
      {{BlockMatching{.noise = noise, .effort = BlockEffort::fast}},
       gain - 0.3,
       "the same in half the time, for about 0.3 dB"},
      {{WaveletShrink{.noise = noise}}, gain - 1.5, "large coefficients stay, small ones go: far faster, for 1.5 dB"},
      {{NonlocalMeans{.noise = noise}}, gain - 1.5, "the mean of places that look alike: for 1 to 2 dB"}};
}

std::string blur_words(const FoundPsf& psf) {
  if (psf.family == "motion")
    return fmt::format("a straight motion over {:.1f} pixels at {:.1f} degrees", psf.size, psf.angle);
  return psf.family == "disk" ? fmt::format("out of focus by a disk of radius {:.1f} pixels", psf.size)
                              : fmt::format("a Gaussian of sigma {:.1f} pixels", psf.size);
}

// What mends grain and blur, in several ways.
std::vector<Part> against_grain_and_blur(const Diagnosis& d, const Measured& m) {
  if (m.blur != nullptr && sure(d, Trouble::blur)) {
    const auto noise = static_cast<float>(rounded(std::max(kPsfNoise, d.noise), 4));
    const std::string why =
        blur_words(*m.blur) +
        (d.noise >= kPsfNoise ? fmt::format(", undone as far as grain of {:.4f} allows", d.noise) : ", undone");
    // A Gaussian leaves little that a denoiser could find again: 0.1 dB.
    const bool worth = m.blur->family != "gaussian";
    const double gain = worth ? 3.6 : 2.2;
    const Kernel& psf = m.blur->psf;
    const Part prior = {{PlugAndPlay{.psf = psf, .noise = noise}},
                        worth ? gain + 1.3 : gain,
                        why + "; with a denoiser's idea of pictures, in about eight seconds for a megapixel of color"},
               edges = {{TotalVariationDeconvolution{.psf = psf, .noise = noise}},
                        gain,
                        why + "; even areas and sharp edges, several times faster"},
               quick = {{Wiener{.psf = psf, .noise = noise}}, gain - 1.2, why + "; at once, for 1 to 1.5 dB less"};
    if (worth) return {prior, edges, quick};
    return {edges, prior, quick};
  }
  if (sure(d, Trouble::coarse_grain)) {
    const std::string why = fmt::format(
        "grain of deviation {:.4f} that is alike in neighbors, as a camera, a scan or a JPEG leaves it; its spectrum "
        "is measured in flat parts",
        m.coarse);
    return {{{BlockMatching{}}, 6.9, why},
            {{BlockMatching{.effort = BlockEffort::fast}}, 6.6, "the same in half the time, for about 0.3 dB"}};
  }
  if (sure(d, Trouble::photon_grain)) {
    const double peak = rounded(m.photons, 1), even = 1 / (2 * std::sqrt(m.photons + 0.375));
    std::vector<Part> parts = against_grain(even);
    for (Part& p : parts) {
      p.steps.insert(p.steps.begin(), Anscombe{.peak = peak});
      p.steps.emplace_back(InverseAnscombe{.peak = peak});
      p.why = fmt::format("the grain grows with the level like that of {:.0f} photons at white; {}", m.photons, p.why);
    }
    return parts;
  }
  if (sure(d, Trouble::grain)) {
    std::vector<Part> parts = against_grain(d.noise);
    for (Part& p : parts) p.why = fmt::format("even grain of deviation {:.4f}; {}", d.noise, p.why);
    return parts;
  }
  if (sure(d, Trouble::blocks) && m.block_step >= kBlockStep) {
    // As strong as the rounding of coefficients that leaves such steps.
    const auto noise = static_cast<float>(rounded(std::min(0.02 + 0.012 * 255 * m.block_step, 0.05), 3));
    return {{{BlockMatching{.noise = noise, .effort = BlockEffort::fast}},
             0.6,
             fmt::format("steps of {:.1f}/255 at the borders of blocks: what a JPEG rounded off is taken for grain",
                         255 * m.block_step)}};
  }
  return {};
}

Part exposure_part(const Exposure& e) {
  Part p{{}, e.verdict == ExposureVerdict::too_dark ? 21.0 : 11.0, e.reason};
  if (e.stretch) p.steps.emplace_back(Stretch{.low = rounded(e.from, 4), .high = rounded(e.to, 4)});
  if (e.local) {
    p.steps.emplace_back(Clahe{.limit = 2});
  } else if (e.gamma != 1) {
    p.steps.emplace_back(Gamma{.exponent = rounded(e.gamma, 3)});
  }
  return p;
}

void join(Part& to, const Part& more) {
  to.steps.insert(to.steps.end(), more.steps.begin(), more.steps.end());
  // Decibels do not add up: what brings most counts.
  to.gain = std::max(to.gain, more.gain);
  if (!more.why.empty()) to.why += (to.why.empty() ? "" : "; then ") + more.why;
}

}  // namespace

const Finding* sure(const Diagnosis& d, Trouble trouble) {
  const Finding* f = d.find(trouble);
  return f != nullptr && f->confidence >= kMended ? f : nullptr;
}

void propose(Diagnosis& d, const Measured& m) {
  const auto leave = [&d](const Filter& f, std::string why) { d.leave.push_back({Chain{f}, 0, std::move(why)}); };
  Part first, last;
  const Finding *impulses = sure(d, Trouble::impulses), *lines = sure(d, Trouble::dead_lines);
  if (impulses != nullptr || lines != nullptr) {
    join(first, {{AdaptiveMedian{}},
                 impulses != nullptr ? 26.0 : 21.0,
                 (impulses != nullptr ? impulses : lines)->evidence + ": only these are replaced"});
    leave(Gaussian{}, "it spreads what stands out alone over its neighbors instead of dropping it");
  }
  if (const Finding* f = sure(d, Trouble::periodic_noise))
    join(first, {{RemovePeriodicNoise{}}, 19, f->evidence + ": only that is taken out"});
  if (const Finding* f = sure(d, Trouble::uneven_light)) {
    join(first, {{Flatten{.by = BackgroundBy::polynomial}}, 0, f->evidence});
    leave(Equalize{}, "uneven light would be stretched with the rest: correct it first");
  } else if (sure(d, Trouble::exposure)) {
    last = exposure_part(d.exposure);
    if (d.noise > kGrainRaised)
      leave(Sigmoid{}, fmt::format("the noise (deviation {:.3f}) is raised with the contrast: denoise first", d.noise));
  }
  if (const Finding* f = sure(d, Trouble::few_levels))
    leave(Equalize{}, f->evidence + ": go back to the source and work at a greater depth");
  // What looks like grain between few levels may be their rounding; counted photons have few levels, too.
  const double rounding = 1 / (std::sqrt(12.0) * static_cast<double>(std::max<std::size_t>(1, d.comb.used)));
  std::vector<Part> middle;
  if (sure(d, Trouble::few_levels) == nullptr || d.noise > kOverRounding * rounding)
    middle = against_grain_and_blur(d, m);
  if (middle.empty()) middle.emplace_back();
  for (const Part& p : middle) {
    Part whole = first;
    join(whole, p);
    join(whole, last);
    if (!whole.steps.empty()) d.proposals.push_back({Chain(whole.steps), rounded(whole.gain, 1), whole.why});
  }
}

}  // namespace sieve::internal
