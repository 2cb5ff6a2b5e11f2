#include "sieve/spectral/frequency.hpp"

#include <fmt/format.h>

#include <cmath>

#include "run/validate.hpp"
#include "spectral/gains.hpp"

namespace sieve {

using namespace internal;

namespace {

// Gain as a function of the squared frequency: base + scale * core, the core a low-pass or a band-stop.
struct Radial {
  bool band;
  PassForm form;
  int order;
  double low, high;  // the cutoff is `low`
  double base, scale;

  double core(double d2) const {
    if (!band) {
      const double c2 = low * low;
      if (form == PassForm::ideal) return d2 <= c2 ? 1 : 0;
      return form == PassForm::gaussian ? std::exp(-d2 / (2 * c2)) : 1 / (1 + std::pow(d2 / c2, order));
    }
    const double d = std::sqrt(d2), middle = 0.5 * (low + high), width = high - low;
    if (form == PassForm::ideal) return d >= low && d <= high ? 0 : 1;
    const double off = d2 - middle * middle;
    if (form == PassForm::gaussian) return d == 0 ? 1 : 1 - std::exp(-std::pow(off / (d * width), 2));
    return off == 0 ? 0 : 1 / (1 + std::pow(d * width / off, 2 * order));
  }
  double at(double fx, double fy) const { return base + scale * core(fx * fx + fy * fy); }
};

Radial radial(const LowPass& f) { return {false, f.form, f.order, static_cast<double>(f.cutoff), 0, 0, 1}; }
Radial radial(const HighPass& f) { return {false, f.form, f.order, static_cast<double>(f.cutoff), 0, 1, -1}; }
Radial radial(const HighEmphasis& f) {
  return {false,
          f.form,
          f.order,
          static_cast<double>(f.cutoff),
          0,
          static_cast<double>(f.keep) + static_cast<double>(f.boost),
          -static_cast<double>(f.boost)};
}
Radial radial(const BandStop& f) {
  return {true, f.form, f.order, static_cast<double>(f.low), static_cast<double>(f.high), 0, 1};
}
Radial radial(const BandPass& f) {
  return {true, f.form, f.order, static_cast<double>(f.low), static_cast<double>(f.high), 1, -1};
}

// The same for columns in single precision, in loops that compilers turn into vectors.
GainMaker gains_of(const Radial& r) {
  const auto base = static_cast<float>(r.base), scale = static_cast<float>(r.scale);
  if (!r.band && r.form == PassForm::gaussian) {
    // A product of one factor for each direction.
    return [=](std::vector<float> fy) -> ColumnGain {
      const double k = -1 / (2 * r.low * r.low);
      for (float& v : fy) v = static_cast<float>(std::exp(k * static_cast<double>(v) * static_cast<double>(v)));
      return [=, down = std::move(fy)](double fx, float* out) {
        const float across = scale * static_cast<float>(std::exp(k * fx * fx));
        for (std::size_t i = 0; i < down.size(); ++i) out[i] = base + across * down[i];
      };
    };
  }
  if (!r.band && r.form == PassForm::butterworth) {
    return [=](std::vector<float> fy) -> ColumnGain {
      return [=, fy = std::move(fy)](double fx, float* out) {
        const auto x2 = static_cast<float>(fx * fx), k = static_cast<float>(1 / (r.low * r.low));
        for (std::size_t i = 0; i < fy.size(); ++i) {
          const float q = (x2 + fy[i] * fy[i]) * k;
          float power = 1;
          for (int j = 0; j < r.order; ++j) power *= q;
          out[i] = base + scale / (1 + power);
        }
      };
    };
  }
  if (r.band && r.form != PassForm::ideal) {
    return [=](std::vector<float> fy) -> ColumnGain {
      const double middle = 0.5 * (r.low + r.high);
      const auto m2 = static_cast<float>(middle * middle), w2 = static_cast<float>((r.high - r.low) * (r.high - r.low));
      return [=, fy = std::move(fy)](double fx, float* out) {
        const auto x2 = static_cast<float>(fx * fx);
        for (std::size_t i = 0; i < fy.size(); ++i) {
          const float d2 = x2 + fy[i] * fy[i], off = d2 - m2;
          // Far from the band, and infinite at frequency 0.
          const float q = off * off / (d2 * w2);
          float stop = 0;
          if (r.form == PassForm::gaussian) {
            stop = 1 - std::exp(-q);
          } else {
            float power = 1;
            for (int j = 0; j < r.order; ++j) power *= q;
            stop = std::isinf(power) ? 1 : power / (1 + power);
          }
          out[i] = base + scale * stop;
        }
      };
    };
  }
  return by_points([r](double fx, double fy) { return r.at(fx, fy); });
}

template <class F>
void check_band(const F& f) {
  if constexpr (requires { f.low; }) {
    check(f);
    if (!(f.low < f.high))
      throw InvalidArgument(fmt::format("{}: low={} and high={} leave no band: give high above low",
                                        description_of<F>().name, f.low, f.high));
  }
}

template <class F>
void run(const F& f, const ConstView& in, const View& out) {
  validate(f, in, out);
  check_band(f);
  run_gains(in, out, f.border, true, gains_of(radial(f)));
}

template <class F>
std::vector<Stage> stages_of(const F& f, const ConstView& in) {
  return frequency_stages(in, f(in), [r = radial(f)](double fx, double fy) { return r.at(fx, fy); });
}

template <class F>
std::string meaning_of(const F& f) {
  if constexpr (requires { f.low; }) {
    return fmt::format("periods of {:.3g} to {:.3g} pixels", 1 / f.high, 1 / f.low);
  } else {
    return fmt::format("cutoff at a period of {:.3g} pixels", 1 / f.cutoff);
  }
}

template <class F>
void describe_cutoff(Description<F>& d) {
  d.field("cutoff", &F::cutoff, "cycles per pixel", "0.1 is a period of 10 pixels", {0.0005, 1});
}
template <class F>
void describe_band(Description<F>& d) {
  d.field("low", &F::low, "cycles per pixel", "where the band begins", {0, 1});
  d.field("high", &F::high, "cycles per pixel", "where it ends", {0, 1});
}
template <class F>
void describe_rest(Description<F>& d) {
  d.meaning(meaning_of<F>);
  d.stages(stages_of<F>);
  d.field("form", &F::form, "", "ideal rings, gaussian does not, butterworth lies between");
  d.field("order", &F::order, "", "steepness of butterworth", {1, 20});
  d.border(&F::border, nullptr, frequency_borders(), kFrequencyBorderHelp);
}

}  // namespace

Image LowPass::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void LowPass::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
double LowPass::gain(double fx, double fy) const { return radial(*this).at(fx, fy); }
void LowPass::describe(Description<LowPass>& d) {
  d.called("low_pass", "frequency", "Keeps slow changes and takes fast ones: smoothing, in the frequency domain.");
  d.also({"blur", "smooth", "high cut"});
  d.wrong("edges must stay sharp (take an edge-preserving filter); ideal: every edge gets ripples.");
  describe_cutoff(d);
  describe_rest(d);
}

Image HighPass::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void HighPass::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
double HighPass::gain(double fx, double fy) const { return radial(*this).at(fx, fy); }
void HighPass::describe(Description<HighPass>& d) {
  d.float_result();
  d.called("high_pass", "frequency", "Keeps fast changes, around 0: edges and grain without the light.");
  d.also({"detail", "edges", "low cut"});
  d.wrong("the result is to be looked at as a picture: it is signed; take high_emphasis, which keeps the slow part.");
  describe_cutoff(d);
  describe_rest(d);
}

Image HighEmphasis::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void HighEmphasis::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
double HighEmphasis::gain(double fx, double fy) const { return radial(*this).at(fx, fy); }
void HighEmphasis::describe(Description<HighEmphasis>& d) {
  d.called("high_emphasis", "frequency",
           "Strengthens fast changes and keeps slow ones: sharpening, in the frequency domain.");
  d.also({"high boost", "high frequency emphasis", "sharpen"});
  d.wrong("the picture is noisy: noise is fast, and is strengthened most.");
  describe_cutoff(d);
  d.field("keep", &HighEmphasis::keep, "", "gain of the slow part", {0, 10});
  d.field("boost", &HighEmphasis::boost, "", "added to it for the fast part", {-10, 10});
  describe_rest(d);
}

Image BandStop::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void BandStop::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
double BandStop::gain(double fx, double fy) const { return radial(*this).at(fx, fy); }
void BandStop::describe(Description<BandStop>& d) {
  d.called("band_stop", "frequency", "Takes out a ring of frequencies, in all directions.");
  d.also({"band reject"});
  d.wrong("the disturbance has one direction: take notch or remove_periodic_noise, which leave the others alone.");
  describe_band(d);
  describe_rest(d);
}

Image BandPass::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void BandPass::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
double BandPass::gain(double fx, double fy) const { return radial(*this).at(fx, fy); }
void BandPass::describe(Description<BandPass>& d) {
  d.float_result();
  d.called("band_pass", "frequency", "Keeps a ring of frequencies alone, around 0: structure of one size.");
  d.also({"DoG", "difference of Gaussians"});
  d.wrong("the result is to be looked at as a picture: it is signed.");
  describe_band(d);
  describe_rest(d);
}

}  // namespace sieve
