#include "sieve/restore/linear.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>
#include <vector>

#include "core/run.hpp"
#include "restore/deconvolution.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/restore/psf.hpp"

namespace sieve {

std::span<const std::pair<const char*, PseudoInverse::Below>> ChoiceNames<PseudoInverse::Below>::all() {
  static constexpr std::pair<const char*, PseudoInverse::Below> names[] = {{"drop", PseudoInverse::Below::drop}, {"hold", PseudoInverse::Below::hold}, {"constant", PseudoInverse::Below::constant}};
  return names;
}
std::span<const std::pair<const char*, WeightBy>> ChoiceNames<WeightBy>::all() {
  static constexpr std::pair<const char*, WeightBy> names[] = {{"discrepancy", WeightBy::discrepancy}, {"validation", WeightBy::validation}};
  return names;
}

namespace {

using Complex = std::complex<double>;

Prepare same(Multiplier m) {
  return [m = std::move(m)](const Frame&, const HalfPlane<double>&, const HalfPlane<double>&) { return m; };
}

// Work on each coefficient of the half plane, with how many of the whole plane it stands for.
template <class Work>
void each_coefficient(const Frame& f, const HalfPlane<double>& h, const HalfPlane<double>& g, Work work) {
  for (int v = 0; v < f.height; ++v) {
    for (int u = 0; u < h.columns; ++u) work(u, v, std::norm(h.row(v)[u]), std::norm(g.row(v)[u]), u == 0 || 2 * u == f.width ? 1.0 : 2.0);
  }
}

double frequency(int u, int v, const Frame& f) {
  return std::hypot(static_cast<double>(u) / f.width, static_cast<double>(v > f.height / 2 ? v - f.height : v) / f.height);
}

Prepare division(const Inverse& f, const Shape& s) {
  const Frame frame = frame_of(s, f.beyond);
  const PsfDiagnosis d = diagnose(f.psf, frame.width, frame.height);
  if (d.zero > 0) throw BadCall(fmt::format("inverse: information lost: {}. Say how to treat the zeros: pseudo_inverse, wiener or least_squares", d.reason));
  if (d.verdict != "safe") note(fmt::format("{}: {}", d.verdict, d.reason));
  return same([](int, int, Complex h, Complex g) { return g / h; });
}

Prepare division(const PseudoInverse& f, const Shape&) {
  const double least = static_cast<double>(f.threshold), constant = static_cast<double>(f.constant);
  return same([=, below = f.below](int, int, Complex h, Complex g) {
    const double size = std::abs(h);
    if (size >= least) return g / h;
    if (below == PseudoInverse::Below::drop) return Complex(0);
    if (below == PseudoInverse::Below::constant) return g * constant;
    return size > kZero ? g * std::conj(h) / (size * least) : g / least;
  });
}

double noise_of(const std::optional<float>& given, const ConstView& in) { return given ? static_cast<double>(*given) : noise_level(in); }

Prepare division(const Wiener& f, const ConstView& in) {
  if (f.ratio) {
    return same([k = static_cast<double>(*f.ratio)](int, int, Complex h, Complex g) {
      const double power = std::norm(h) + k;
      return power > 0 ? g * std::conj(h) / power : Complex(0);
    });
  }
  const double s = noise_of(f.noise, in);
  note(fmt::format("noise deviation {:.4f}{}", s, f.noise ? "" : ", estimated"));
  return [s](const Frame& frame, const HalfPlane<double>& h, const HalfPlane<double>& g) -> Multiplier {
    // Power of the blurred picture over rings; what is above the noise there is the picture's times |H|^2.
    constexpr int kRings = 96;
    std::vector<double> power(kRings), transfer(kRings), count(kRings);
    const auto ring = [](double d) { return std::min(kRings - 1, static_cast<int>(d / 0.7072 * kRings)); };
    each_coefficient(frame, h, g, [&](int u, int v, double h2, double g2, double times) {
      if (u == 0 && v == 0) return;
      const auto i = static_cast<std::size_t>(ring(frequency(u, v, frame)));
      power[i] += times * g2;
      transfer[i] += times * h2;
      count[i] += times;
    });
    const double noise = s * s * static_cast<double>(frame.width) * frame.height;
    auto ratio = std::make_shared<std::vector<double>>(kRings);
    double last = 1e-12;
    for (std::size_t i = 0; i < kRings; ++i) {
      if (count[i] > 0) {
        const double signal = std::max(0.0, power[i] / count[i] - noise) / std::max(1e-12, transfer[i] / count[i]);
        // Pictures have less power the faster the change, so the ratio rises; where the noise drowns the picture its power is
        // taken to fall on as the square of the frequency.
        last = power[i] / count[i] > 1.1 * noise ? std::max(last, noise / signal) : last * (1 + 2.0 / static_cast<double>(std::max<std::size_t>(i, 1)));
      }
      (*ratio)[i] = std::max(1e-15, last);
    }
    return [=](int u, int v, Complex hh, Complex gg) { return gg * std::conj(hh) / (std::norm(hh) + (*ratio)[static_cast<std::size_t>(ring(frequency(u, v, frame)))]); };
  };
}

// |L|^2 of the 4-neighbor Laplacian, or 1.
class Penalty {
 public:
  Penalty(const Frame& f, bool smooth) : smooth_(smooth) {
    for (int u = 0; u < f.width; ++u) across_.push_back(2 - 2 * std::cos(2 * std::numbers::pi * u / f.width));
    for (int v = 0; v < f.height; ++v) down_.push_back(2 - 2 * std::cos(2 * std::numbers::pi * v / f.height));
  }
  double operator()(int u, int v) const {
    const double l = across_[static_cast<std::size_t>(u)] + down_[static_cast<std::size_t>(v)];
    return smooth_ ? l * l : 1;
  }

 private:
  bool smooth_;
  std::vector<double> across_, down_;
};

Prepare division(const LeastSquares& f, const ConstView& in) {
  const double s = f.weight || f.by == WeightBy::validation ? 0 : noise_of(f.noise, in);
  return [f, s](const Frame& frame, const HalfPlane<double>& h, const HalfPlane<double>& g) -> Multiplier {
    const Penalty penalty(frame, f.smooth);
    double weight = f.weight ? static_cast<double>(*f.weight) : 0;
    if (!f.weight) {
      const double all = static_cast<double>(frame.width) * frame.height;
      int rounds = 0;
      // Residual per sample, and what part of the coefficients is left to it, at a weight.
      const auto measure = [&](double w) {
        ++rounds;
        checkpoint();
        double residual = 0, left = 0;
        each_coefficient(frame, h, g, [&](int u, int v, double h2, double g2, double times) {
          const double p = w * penalty(u, v), r = h2 + p > 0 ? p / (h2 + p) : 1;
          residual += times * g2 * r * r;
          left += times * r;
        });
        return std::pair(residual / (all * all), left / all);
      };
      double low = -30, high = 15;  // natural logarithms
      if (f.by == WeightBy::discrepancy) {
        while (high - low > 0.01) {
          const double middle = 0.5 * (low + high);
          (measure(std::exp(middle)).first < s * s ? low : high) = middle;
        }
      } else {
        const auto score = [&](double at) {
          const auto [residual, left] = measure(std::exp(at));
          return residual / (left * left);
        };
        // A walk, since the score is flat far from its lowest value, then golden section.
        double best = low, lowest = score(low);
        for (double at = low + 1; at <= high; at += 1) {
          const double v = score(at);
          if (v < lowest) lowest = v, best = at;
        }
        low = best - 1, high = best + 1;
        while (high - low > 0.02) {
          const double a = low + 0.382 * (high - low), b = low + 0.618 * (high - low);
          score(a) < score(b) ? high = b : low = a;
        }
      }
      weight = std::exp(0.5 * (low + high));
      note(fmt::format("weight {:.4g} after {} rounds, by {}: residual {:.5f}{}", weight, rounds, name_of(f.by), std::sqrt(measure(weight).first),
                       f.by == WeightBy::discrepancy ? fmt::format(", noise {:.5f}{}", s, f.noise ? "" : " (estimated)") : ""));
    }
    return [=](int u, int v, Complex hh, Complex gg) {
      const double power = std::norm(hh) + weight * penalty(u, v);
      return power > 0 ? gg * std::conj(hh) / power : Complex(0);
    };
  };
}

template <class F>
void run(const F& f, const ConstView& in, const View& out) {
  ready(f, in, out);
  checked_psf(f.psf, description_of<F>().name.c_str());
  if constexpr (requires { division(f, in); }) {
    restore_linear(in, out, f.psf, f.beyond, division(f, in));
  } else {
    restore_linear(in, out, f.psf, f.beyond, division(f, in.shape));
  }
}

template <class F>
Image plain_of(const F& f, const ConstView& in) {
  if constexpr (requires { division(f, in); }) {
    return restore_plainly(in, f.psf, f.beyond, division(f, in));
  } else {
    return restore_plainly(in, f.psf, f.beyond, division(f, in.shape));
  }
}

template <class F>
std::string meaning_of(const F& f) { return fmt::format("PSF {}x{}, scaled to sum 1", f.psf.width(), f.psf.height()); }

template <class F>
void describe_psf(Description<F>& d) {
  d.field("psf", &F::psf, "", "gaussian:sigma=, disk:radius=, motion:length=,angle=, airy:radius=, any kernel, or @FILE");
}
template <class F>
void describe_beyond(Description<F>& d) {
  d.field("beyond", &F::beyond, "", "how the blurred picture goes on beyond its border");
}

}  // namespace

Image Inverse::operator()(const ConstView& in) const { return made(*this, in); }
void Inverse::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
Image Inverse::plain(const ConstView& in) const { return plain_of(*this, in); }
std::string Inverse::meaning() const { return meaning_of(*this); }
void Inverse::describe(Description<Inverse>& d) {
  d.called("inverse", "restore", "Divides the spectrum by that of the blur: exact without noise, where nothing was lost.");
  d.wrong("there is noise, be it that of 8 bits: it is raised beyond all measure; take wiener or least_squares.");
  d.agrees_within(2e-3);
  describe_psf(d);
  describe_beyond(d);
}

Image PseudoInverse::operator()(const ConstView& in) const { return made(*this, in); }
void PseudoInverse::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
Image PseudoInverse::plain(const ConstView& in) const { return plain_of(*this, in); }
std::string PseudoInverse::meaning() const { return meaning_of(*this); }
void PseudoInverse::describe(Description<PseudoInverse>& d) {
  d.called("pseudo_inverse", "restore", "The inverse where the blur left enough; a threshold says where.");
  d.wrong("the noise level is known or can be measured: wiener and least_squares weigh every frequency by it.");
  d.agrees_within(1e-4);
  describe_psf(d);
  d.field("threshold", &PseudoInverse::threshold, "of |H|", "below it the coefficient is not divided", {1e-9, 1});
  d.field("below", &PseudoInverse::below, "", "what becomes of it: left out, held at the threshold, times constant");
  d.field("constant", &PseudoInverse::constant, "", "its factor with below=constant", {-100, 100});
  describe_beyond(d);
}

Image Wiener::operator()(const ConstView& in) const { return made(*this, in); }
void Wiener::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
Image Wiener::plain(const ConstView& in) const { return plain_of(*this, in); }
std::string Wiener::meaning() const { return meaning_of(*this); }
void Wiener::describe(Description<Wiener>& d) {
  d.called("wiener", "restore", "Divides by the blur as far as the noise allows, each frequency by its own measure.");
  d.wrong("edges must be free of ripples: take richardson_lucy.");
  d.agrees_within(1e-4);
  describe_psf(d);
  d.field("ratio", &Wiener::ratio, "", "power of the noise over that of the picture", {0, 1000});
  d.field("noise", &Wiener::noise, "0..1 scale", "standard deviation of the noise, for ratio=auto", {0, 1});
  describe_beyond(d);
}

Image LeastSquares::operator()(const ConstView& in) const { return made(*this, in); }
void LeastSquares::operator()(const ConstView& in, const View& out) const { run(*this, in, out); }
Image LeastSquares::plain(const ConstView& in) const { return plain_of(*this, in); }
std::string LeastSquares::meaning() const { return meaning_of(*this); }
void LeastSquares::describe(Description<LeastSquares>& d) {
  d.called("least_squares", "restore", "The smoothest picture that explains the blurred one within its noise.");
  d.wrong("edges must be free of ripples: take richardson_lucy.");
  d.agrees_within(1e-3);
  describe_psf(d);
  d.field("weight", &LeastSquares::weight, "", "of the smoothness", {0, 1e6});
  d.field("by", &LeastSquares::by, "", "how weight=auto is found: residual equal to the noise, or cross-validation");
  d.field("smooth", &LeastSquares::smooth, "", "yes: the Laplacian is kept small; no: the picture itself (Tikhonov)");
  d.field("noise", &LeastSquares::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  describe_beyond(d);
}

}  // namespace sieve
