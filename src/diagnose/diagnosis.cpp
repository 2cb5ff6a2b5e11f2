#include "sieve/diagnose/diagnosis.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/luma.hpp"
#include "diagnose/parts.hpp"
#include "diagnose/proposals.hpp"
#include "diagnose/signs.hpp"
#include "diagnose/thresholds.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/spectral/notch.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;
using namespace internal::thresholds;

std::span<const std::pair<const char*, Trouble>> ChoiceNames<Trouble>::all() {
  static constexpr std::pair<const char*, Trouble> names[] = {{"dead lines", Trouble::dead_lines},
                                                              {"impulses", Trouble::impulses},
                                                              {"periodic noise", Trouble::periodic_noise},
                                                              {"uneven light", Trouble::uneven_light},
                                                              {"grain", Trouble::grain},
                                                              {"photon grain", Trouble::photon_grain},
                                                              {"coarse grain", Trouble::coarse_grain},
                                                              {"blur", Trouble::blur},
                                                              {"blocks", Trouble::blocks},
                                                              {"halos", Trouble::halos},
                                                              {"exposure", Trouble::exposure},
                                                              {"tint", Trouble::tint},
                                                              {"clipping", Trouble::clipping},
                                                              {"few levels", Trouble::few_levels}};
  return names;
}

const Finding* Diagnosis::find(Trouble trouble) const {
  const auto f = std::find_if(findings.begin(), findings.end(), [=](const Finding& g) { return g.trouble == trouble; });
  return f == findings.end() ? nullptr : &*f;
}

namespace {

class Examination {
 public:
  explicit Examination(const ConstView& in) : in_(in), sample_(sampled(in)), luma_(finite_luma(sample_)) {}

  Diagnosis run() {
    d_.exposure = exposure(in_);
    if (d_.exposure.verdict == ExposureVerdict::unreadable) return d_;
    single_pixels();
    checkpoint();
    Image clean = finite_middle(in_, kMiddleSide);
    if (mended_) clean = AdaptiveMedian{}(clean);
    waves(clean);
    checkpoint();
    // Waves are no print.
    light(d_.waves.empty() ? luma_ : clean);
    levels();
    grain();
    checkpoint();
    blur(clean);
    edges(clean);
    std::stable_sort(d_.findings.begin(), d_.findings.end(),
                     [](const Finding& a, const Finding& b) { return a.trouble < b.trouble; });
    propose(d_, m_);
    return d_;
  }

 private:
  void tell(Trouble trouble, double figure, const char* unit, double confidence, std::string evidence) {
    if (confidence >= kTold) d_.findings.push_back({trouble, figure, unit, confidence, std::move(evidence)});
  }
  bool sure(Trouble trouble) const { return internal::sure(d_, trouble) != nullptr; }

  void single_pixels() {
    constexpr int kStrip = 512;
    const auto columns = signs::dead_lines(finite_luma(middle(in_, in_.width(), kStrip)), false),
               rows = signs::dead_lines(finite_luma(middle(in_, kStrip, in_.height())), true);
    if (!columns.empty() || !rows.empty()) {
      tell(Trouble::dead_lines, static_cast<double>(columns.size() + rows.size()), "lines", kSureLines,
           fmt::format("{} of the columns and {} of the rows have nothing to do with their neighbors", columns.size(),
                       rows.size()));
    }
    d_.impulses = impulse_share(luma_);
    // A dead line stands out, too.
    const double on_lines = static_cast<double>(columns.size()) / in_.width() +
                            static_cast<double>(rows.size()) / in_.height(),
                 share = std::max(0.0, d_.impulses.dark + d_.impulses.bright - on_lines);
    const bool enough_levels = in_.white_level == 0 || in_.white_level >= kFewestLevels;
    if (enough_levels)
      tell(Trouble::impulses, 100 * share, "% of the pixels", kImpulses.confidence(share),
           fmt::format("{:.2f} % of the pixels stand out alone (dark {:.2f} %, bright {:.2f} %)", 100 * share,
                       100 * d_.impulses.dark, 100 * d_.impulses.bright));
    mended_ = sure(Trouble::impulses) || sure(Trouble::dead_lines);
    if (!mended_) return;
    sample_ = AdaptiveMedian{}(sample_);
    luma_ = finite_luma(sample_);
  }

  void waves(Image& clean) {
    d_.waves = find_periodic_noise(clean);
    if (d_.waves.empty()) return;
    const PeriodicWave& w = d_.waves[0];
    tell(Trouble::periodic_noise, w.amplitude, "of 0..1", kSureWaves,
         fmt::format("{} in the spectrum, the strongest of period {:.2f} pixels at {:.1f} degrees, amplitude {:.4f}",
                     d_.waves.size() == 1 ? "a wave stands out" : fmt::format("{} waves stand out", d_.waves.size()),
                     w.period, w.angle, w.amplitude));
    clean = RemovePeriodicNoise{}(clean);
  }

  void light(const ConstView& luma) {
    // Nor is grain.
    const signs::Light light = signs::light(Box{.radius = 2}(luma));
    if (light.range >= kLightRange && light.share >= kLightShare && light.rest <= kLightRest &&
        light.printed >= kLightPrinted)
      tell(Trouble::uneven_light, 100 * light.range, "% of the mean", light.share,
           fmt::format("the lighter parts lie on a smooth surface that ranges over {:.0f} % of its mean and explains "
                       "{:.0f} % of them",
                       100 * light.range, 100 * light.share));
  }

  void levels() {
    const Exposure& e = d_.exposure;
    if (e.corrects())
      tell(Trouble::exposure, e.median, "median", 0.8, fmt::format("{}: {}", name_of(e.verdict), e.reason));
    const double colored = signs::tint(sample_);
    tell(Trouble::tint, std::exp(colored), "times", std::min(0.6, kTint.confidence(colored)),
         fmt::format("brightest parts and edges are colored alike, by a factor of {:.2f}; a scene of one color is, too",
                     std::exp(colored)));
    const int color = in_.shape.color_channels();
    double floor = 0, ceiling = 0;
    const auto all = statistics(sample_);
    for (int c = 0; c < color; ++c) {
      floor += all[static_cast<std::size_t>(c)].at_floor / color;
      ceiling += all[static_cast<std::size_t>(c)].at_ceiling / color;
      // A stretch of each channel leaves its comb there; the luma mixes the channels and hides it.
      const HistogramComb one = comb(histogram(in_, {.channel = c, .low = 0, .high = 1}));
      if (c == 0 || one.share > d_.comb.share) d_.comb = one;
    }
    tell(Trouble::clipping, 100 * (floor + ceiling), "% of the samples", kClipped.confidence(floor + ceiling),
         fmt::format(
             "{:.1f} % of the samples at the floor, {:.1f} % at the ceiling: no curve brings back what they were",
             100 * floor, 100 * ceiling));
    if (d_.comb.found)
      tell(Trouble::few_levels, 100 * d_.comb.share, "% of the levels", 0.9,
           fmt::format("{:.0f} % of the levels in use are empty between full ones: a stretch of few levels left them",
                       100 * d_.comb.share));
  }

  void grain() {
    const signs::BlockSteps steps = signs::block_steps(luma_);
    m_.block_step = steps.step;
    tell(Trouble::blocks, 255 * steps.step, "of 255",
         std::min(kBlocks.confidence(steps.share), kBlockSteps.confidence(steps.step)),
         fmt::format("steps at the borders of blocks are {:.1f}/255 higher than elsewhere, {:.0f} % of the mean step",
                     255 * steps.step, 100 * steps.share));
    d_.noise = noise_level(sample_);
    const double sure_grain = kGrain.confidence(d_.noise);
    // What mended single pixels is alike in neighbors, too, and so are a wave and what a JPEG left.
    if (!mended_ && d_.waves.empty() && !sure(Trouble::blocks) &&
        std::min(luma_.width(), luma_.height()) >= kCoarseSide) {
      m_.coarse = signs::coarse_grain(luma_);
      if (kGrain.confidence(m_.coarse) >= kTold) {
        return tell(Trouble::coarse_grain, m_.coarse, "of 0..1", kGrain.confidence(m_.coarse),
                    fmt::format("flat parts have a deviation of {:.4f} ({:.1f}/255), alike in neighbors", m_.coarse,
                                255 * m_.coarse));
      }
    }
    if (sure_grain < kTold) return;
    // Of one channel: the luma of three has less grain than each.
    const signs::GrainLine line =
        signs::grain_line(signs::grain_by_level(sample_.view().channel(in_.shape.color_channels() == 1 ? 0 : 1)));
    const double dark = line.a + line.b * line.low, bright = line.a + line.b * line.high;
    if (line.found && line.b > 0 && line.high - line.low > kPhotonSpan && bright > kPhotonRise * dark &&
        line.b * line.high > line.a) {
      m_.photons = 1 / line.b;
      tell(
          Trouble::photon_grain, m_.photons, "photons at white", sure_grain,
          fmt::format("the variance of the grain grows {:.1f} times from dark to bright parts, as of {:.0f} photons at "
                      "white",
                      bright / std::max(dark, 1e-9), m_.photons));
    } else {
      tell(Trouble::grain, d_.noise, "of 0..1", sure_grain,
           fmt::format("flat parts have a deviation of {:.4f} ({:.1f}/255), about the same at every level", d_.noise,
                       255 * d_.noise));
    }
  }

  void blur(const Image& clean) {
    if (std::min(clean.width(), clean.height()) < kBlurSide) return;
    d_.blurs = psf_by_spectrum(clean);
    double none = 0;
    const FoundPsf *first = nullptr, *disk = nullptr;
    for (const FoundPsf& f : d_.blurs) {
      if (f.family == "none") {
        none = f.confidence;
        continue;
      }
      if (first == nullptr) first = &f;
      if (f.family == "disk") disk = &f;
    }
    double confidence = 1 - none;
    if (confidence < kTold || d_.blurs[0].family == "none") return;
    if (first->family == "gaussian" && disk != nullptr && disk->confidence > kDiskSecond) first = disk;
    const double growth = signs::growth_of_edges(clean, *first, d_.noise);
    constexpr double kRefuted = 0.1;
    if (growth > kGrowth) confidence *= kRefuted;
    if (mended_) confidence *= kAfterPixels;
    if (!d_.waves.empty()) confidence *= kAfterWaves;
    // Rounding and clipping leave spectra of their own.
    const Finding* clipped = d_.find(Trouble::clipping);
    if (sure(Trouble::few_levels) || (clipped != nullptr && clipped->confidence > kMuchClipped))
      confidence *= kAfterRounding;
    m_.blur = first;
    tell(Trouble::blur, first->size, "pixels", confidence, fmt::format("{}: {}", first->psf.text(), first->reason));
  }

  void edges(const Image& clean) {
    // The luma of three channels has less grain than each.
    constexpr double kInLuma = 0.67;
    const double over = signs::overshoot(clean, in_.shape.color_channels() == 3 ? kInLuma * d_.noise : d_.noise);
    tell(Trouble::halos, 100 * over, "% of the step", kHalos.confidence(over),
         fmt::format("the strongest edges overshoot by {:.0f} % of their height", 100 * over));
  }

  ConstView in_;
  Image sample_, luma_;  // from where single pixels were mended on without them
  bool mended_ = false;
  Diagnosis d_;
  Measured m_;
};

}  // namespace

Diagnosis diagnose(const ConstView& in) {
  require_input(in, "diagnose");
  return Examination(in).run();
}

}  // namespace sieve
