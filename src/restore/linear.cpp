#include "sieve/restore/linear.hpp"

#include <algorithm>
#include <cmath>
#include <memory>
#include <vector>

#include "restore/linear_run.hpp"
#include "restore/told_noise.hpp"
#include "restore/wiener_ratio.hpp"
#include "sieve/core/map.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/restore/psf.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/spectral/notch.hpp"
#include "sieve/spectral/spectrum.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, PseudoInverse::Below>> ChoiceNames<PseudoInverse::Below>::all() {
  static constexpr std::pair<const char*, PseudoInverse::Below> names[] = {
      {"drop", PseudoInverse::Below::drop},
      {"hold", PseudoInverse::Below::hold},
      {"constant", PseudoInverse::Below::constant}};
  return names;
}

static Prepare division(const Inverse& f, const ConstView& in) {
  const Invertibility d = invertibility_of(transfer_of(f.psf, in.shape, f.border));
  Prepare divided = always([](int, int, Complex h) {
    const double power = std::norm(h);
    return power > kZero * kZero ? std::conj(h) / power : Complex(0);
  });
  constexpr const char* kInstead = "take wiener or constrained_least_squares, or force=yes to see it all the same";
  if (d.zero > 0 && !f.force)
    throw InvalidArgument(fmt::format("inverse: information lost: {}: {}", d.reason, kInstead));
  // Rounding is noise that no picture is without.
  const Rounding rounding = rounding_of(in);
  const double raised = rounding.deviation() * d.noise_gain;
  double contrast = 0.01;
  for (const ChannelStatistics& s : statistics(in)) contrast = std::max(contrast, s.deviation);
  const std::string told =
      fmt::format("the samples are rounded to {} (deviation {:.2g}), which the division raises {:.3g} times",
                  rounding.integers ? fmt::format("steps of 1/{}", in.white_level) : "32-bit floats",
                  rounding.deviation(), d.noise_gain);
  if (raised > contrast && !f.force)
    throw InvalidArgument(
        fmt::format("inverse: nothing but rounding would come back: {}, to {:.3g}; the picture's own deviation is "
                    "{:.2g}: {}",
                    told, raised, contrast, kInstead));
  if (d.verdict != PsfVerdict::safe) note(fmt::format("{}: {}", name_of(d.verdict), d.reason));
  if (!notes_heard()) return divided;
  if (raised > 0.1 * contrast) {
    note(fmt::format("rounding rules the result: {}, to {:.3g}", told, raised));
  } else if (const double noise = noise_level(in); noise * d.noise_gain > contrast) {
    note(fmt::format("noise rules the result: its deviation of {:.2g} becomes {:.3g}; take wiener", noise,
                     noise * d.noise_gain));
  }
  return divided;
}

static Prepare division(const PseudoInverse& f, const ConstView&) {
  const double least = static_cast<double>(f.threshold), constant = static_cast<double>(f.constant);
  return always([=, below = f.below](int, int, Complex h) {
    const double power = std::norm(h);
    if (power >= least * least) return std::conj(h) / power;
    if (below == PseudoInverse::Below::drop) return Complex(0);
    if (below == PseudoInverse::Below::constant) return Complex(constant);
    const double size = std::sqrt(power);
    return size > kZero ? std::conj(h) / (size * least) : Complex(1 / least);
  });
}

namespace {

Complex damped(Complex h, double k) {
  const double power = std::norm(h) + k;
  return power > 0 ? std::conj(h) / power : Complex(0);
}

}  // namespace

static Prepare division(const Wiener& f, const ConstView& in) {
  if (!f.ratios.empty()) {
    const Image& k = f.ratios.image("wiener", "ratios");
    if (k.shape().color_channels() != 1)
      throw InvalidArgument("wiener: ratios= is a color picture: give a gray one, its middle the ratio at frequency 0");
    if (statistics(k)[0].minimum < 0)
      throw InvalidArgument(
          fmt::format("wiener: ratios= holds {:g}: a ratio of powers is 0 or above", statistics(k)[0].minimum));
    return [gain = Transfer{.with = f.ratios}](const Grid& grid, const auto&) -> Factor {
      return [gain, frame = grid.frame](int u, int v, Complex h) {
        return damped(h, gain.gain(static_cast<double>(u) / frame.width, frequency_down(v, frame)));
      };
    };
  }
  if (f.ratio) {
    return always([k = static_cast<double>(*f.ratio)](int, int, Complex h) { return damped(h, k); });
  }
  const double s = noise_of(f.noise, in);
  note(fmt::format("noise deviation {:.4f}{}", s, f.noise ? "" : ", estimated"));
  return [s](const Grid&, const std::function<Measured()>& measure) -> Factor {
    return [ratio = WienerRatio(measure(), s)](int u, int v, Complex h) { return damped(h, ratio(u, v)); };
  };
}

Image noise_ratio(const ConstView& clean, double deviation) {
  require_input(clean, "noise_ratio");
  if (!(deviation >= 0) || !std::isfinite(deviation))
    throw InvalidArgument(fmt::format("noise_ratio: deviation={:g}: give 0 or above", deviation));
  const int w = clean.width(), h = clean.height();
  const Image power =
      Box{.radius = 2, .border = Border::wrap}(spectrum_image(spectrum(clean, Taper::periodic), SpectrumShown::power));
  const double noise = deviation * deviation / (static_cast<double>(w) * h);
  return map_samples(power,
                     [noise](float p) { return static_cast<float>(noise / std::max(1e-20, static_cast<double>(p))); });
}

Image Inverse::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Inverse::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  checked_psf(psf, "inverse");
  // What rules the result is known, and told, before: no more notes.
  restore_linear(in, out, psf, border, division(*this, in), Measures::nothing);
}
void Inverse::describe(Description<Inverse>& d) {
  d.called("inverse", "restore",
           "Divides the spectrum by that of the blur: exact without noise, where nothing was lost.");
  d.also({"deblur", "deconvolve", "restore"});
  d.wrong(
      "there is noise, be it that of 8 bits: it is raised beyond all measure; take wiener or "
      "constrained_least_squares.");
  describe_psf(d);
  d.field("force", &Inverse::force, "",
          "yes: divides where frequencies are gone (they are left out) or nothing but rounding comes back, to see it");
  describe_border(d);
  d.meaning(psf_meaning<Inverse>);
}

Image PseudoInverse::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void PseudoInverse::operator()(const ConstView& in, const View& out) const {
  run_linear(*this, in, out, Measures::nothing);
}
void PseudoInverse::describe(Description<PseudoInverse>& d) {
  d.called("pseudo_inverse", "restore", "The inverse where the blur left enough; a threshold says where.");
  d.also({"deblur", "deconvolve", "restore"});
  d.wrong(
      "the noise level is known or can be measured: wiener and constrained_least_squares weigh every frequency by it.");
  describe_psf(d);
  d.meaning(psf_meaning<PseudoInverse>);
  d.field("threshold", &PseudoInverse::threshold, "of |H|", "below it the coefficient is not divided", {1e-9, 1});
  d.field("below", &PseudoInverse::below, "", "what becomes of it: left out, held at the threshold, times constant");
  d.field("constant", &PseudoInverse::constant, "", "its factor with below=constant", {-100, 100});
  describe_border(d);
}

Image Wiener::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Wiener::operator()(const ConstView& in, const View& out) const {
  run_linear(*this, in, out, ratio || !ratios.empty() ? Measures::nothing : Measures::channels);
}
void Wiener::describe(Description<Wiener>& d) {
  d.called("wiener", "restore", "Divides by the blur as far as the noise allows, each frequency by its own measure.");
  d.also({"deblur", "deconvolve", "restore"});
  d.wrong("edges must be free of ripples: take richardson_lucy.");
  describe_psf(d);
  d.meaning(psf_meaning<Wiener>);
  d.field("ratio", &Wiener::ratio, "", "power of the noise over that of the picture", {0, 1000});
  d.field("noise", &Wiener::noise, "0..1 scale", "standard deviation of the noise, for ratio=auto", {0, 1});
  d.field("ratios", &Wiener::ratios, "",
          "a gray picture of the ratio at each frequency, 0 in its middle; stands for ratio");
  describe_border(d);
}

}  // namespace sieve
