#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/luma.hpp"
#include "core/to_integer.hpp"
#include "restore/linear_run.hpp"
#include "restore/told_noise.hpp"
#include "sieve/restore/linear.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, WeightBy>> ChoiceNames<WeightBy>::all() {
  static constexpr std::pair<const char*, WeightBy> names[] = {
      {"validation", WeightBy::validation}, {"discrepancy", WeightBy::discrepancy}, {"corner", WeightBy::corner}};
  return names;
}

namespace {

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

// How residual and roughness depend on the weight. Both are sums of functions of q = |H|^2 / |L|^2, so one pass over
// the coefficients, into classes of ln q, serves every weight.
class Balance {
 public:
  Balance(const Measured& m, const Penalty& penalty)
      : frame_(static_cast<double>(m.grid.frame.width) * m.grid.frame.height), noise_share_(m.noise_share) {
    constexpr double kLow = -90, kHigh = 30;
    constexpr std::size_t kClasses = 16384;
    constexpr int kParts = 8;
    std::vector<std::vector<Class>> parts(kParts, std::vector<Class>(kClasses));
    parallel_rows(
        kParts, m.grid.size(),
        [&](int first, int last) {
          for (int part = first; part < last; ++part) {
            checkpoint();
            std::vector<Class>& classes = parts[static_cast<std::size_t>(part)];
            for (int u = part; u < m.grid.columns; u += kParts) {
              for (int v = 0; v < m.grid.rows; ++v) {
                const double l = penalty(u, v), h = m.transfer[m.grid.place(u, v)], times = m.grid.times(u, v);
                if (l <= 0 || times == 0) continue;  // left alone by every weight
                const double at = h > 0 ? std::clamp((std::log(h / l) - kLow) / (kHigh - kLow), 0.0, 1.0) : 0;
                Class& c = classes[to_integer<std::size_t>(at * kClasses, 0, kClasses - 1)];
                c.power += times * m.picture[m.grid.place(u, v)];
                c.undone += h > 0 ? times * m.picture[m.grid.place(u, v)] / h : 0;
                c.count += times;
              }
            }
          }
        },
        1);
    for (std::size_t i = 0; i < kClasses; ++i) {
      Class all{0, 0, 0, std::exp(kLow + (static_cast<double>(i) + 0.5) / kClasses * (kHigh - kLow))};
      for (const auto& part : parts)
        all.power += part[i].power, all.count += part[i].count, all.undone += part[i].undone;
      if (all.count > 0) classes_.push_back(all);
      count_ += all.count;
    }
  }

  struct At {
    double residual = 0, roughness = 0, score = 0;  // mean squares (the residual's in the picture), cross-validation's
    double power = 0;                               // of the result, over that of the blurred picture
  };
  At at(double weight) const {
    At r;
    double left = 0, before = 0;
    for (const Class& c : classes_) {
      const double t = weight / (c.q + weight);
      r.residual += c.power * t * t;
      r.roughness += c.power * c.q / ((c.q + weight) * (c.q + weight));
      left += c.count * t;
      r.power += c.undone * (1 - t) * (1 - t);
      before += c.power;
    }
    r.power /= std::max(1e-300, before);
    r.residual /= frame_ * frame_ * noise_share_;
    r.roughness /= frame_ * frame_;
    left /= count_;
    r.score = r.residual / (left * left);
    return r;
  }

 private:
  struct Class {
    double power = 0, count = 0, undone = 0, q = 0;
  };
  double frame_, noise_share_, count_ = 0;
  std::vector<Class> classes_;
};

// Natural logarithms of the weights that are looked at.
constexpr double kLowest = -30, kHighest = 15;

// The corner of the L-curve: where log roughness over log residual turns most (Hansen, 1992).
double corner(const Balance& b, int& rounds) {
  constexpr double kStep = 0.25;
  std::vector<double> x, y;
  for (double at = kLowest; at <= kHighest; at += kStep) {
    const Balance::At p = b.at(std::exp(at));
    ++rounds;
    x.push_back(std::log(std::max(1e-300, p.residual)));
    y.push_back(std::log(std::max(1e-300, p.roughness)));
  }
  std::size_t best = 1;
  double most = -1;
  for (std::size_t i = 1; i + 1 < x.size(); ++i) {
    const double dx = (x[i + 1] - x[i - 1]) / 2, dy = (y[i + 1] - y[i - 1]) / 2, ddx = x[i + 1] - 2 * x[i] + x[i - 1],
                 ddy = y[i + 1] - 2 * y[i] + y[i - 1];
    const double turn = (dx * ddy - dy * ddx) / std::pow(dx * dx + dy * dy + 1e-12, 1.5);
    if (turn > most) most = turn, best = i;
  }
  return kLowest + kStep * static_cast<double>(best);
}

double search(const Balance& b, WeightBy by, double noise, int& rounds) {
  if (by == WeightBy::corner) return corner(b, rounds);
  double low = kLowest, high = kHighest;
  if (by == WeightBy::discrepancy) {
    while (high - low > 0.01) {
      const double middle = 0.5 * (low + high);
      ++rounds;
      (b.at(std::exp(middle)).residual < noise * noise ? low : high) = middle;
    }
    return 0.5 * (low + high);
  }
  const auto score = [&](double at) {
    ++rounds;
    return b.at(std::exp(at)).score;
  };
  // A walk, since the score is flat far from its lowest value, then golden section.
  double best = low, lowest = score(low);
  for (double at = low + 1; at <= high; at += 1) {
    const double v = score(at);
    if (v < lowest) lowest = v, best = at;
  }
  low = best - 1, high = best + 1;
  while (high - low > 0.02) {
    const double p = low + 0.382 * (high - low), q = low + 0.618 * (high - low);
    score(p) < score(q) ? high = q : low = p;
  }
  return 0.5 * (low + high);
}

// A blur takes only a little of a picture's power away. A result with more than 1.5 times the power of the blurred
// picture is therefore mostly noise, as it comes about when the PSF is not the right one: the weight is raised until it
// falls below that.
struct Chosen {
  double at = 0;  // logarithm of the weight
  int rounds = 0;
  bool raised = false;
};
Chosen chosen(const Balance& b, WeightBy by, double noise) {
  Chosen c;
  c.at = search(b, by, noise, c.rounds);
  for (; c.at < kHighest && b.at(std::exp(c.at)).power > 1.5; c.at += 0.1) ++c.rounds, c.raised = true;
  return c;
}

}  // namespace

static Prepare division(const ConstrainedLeastSquares& f, const ConstView& in) {
  const double s = f.weight || f.by != WeightBy::discrepancy ? 0 : noise_of(f.noise, in);
  return [f, s](const Grid& grid, const std::function<Measured()>& measure) -> Factor {
    const Penalty penalty(grid.frame, f.smooth);
    double weight = f.weight ? static_cast<double>(*f.weight) : 0;
    if (!f.weight) {
      const Balance balance(measure(), penalty);
      const Chosen c = chosen(balance, f.by, s);
      weight = std::exp(c.at);
      if (c.raised)
        note(fmt::format("the weight that {} finds would give a picture of noise: it is raised; is this the right PSF?",
                         name_of(f.by)));
      note(fmt::format(
          "weight {:.4g} after {} rounds, by {}: residual {:.5f}{}", weight, c.rounds, name_of(f.by),
          std::sqrt(balance.at(weight).residual),
          f.by == WeightBy::discrepancy ? fmt::format(", noise {:.5f}{}", s, f.noise ? "" : " (estimated)") : ""));
    }
    return [penalty, weight](int u, int v, Complex h) {
      const double power = std::norm(h) + weight * penalty(u, v);
      return power > 0 ? std::conj(h) / power : Complex(0);
    };
  };
}

WeightCurve weight_curve(const ConstView& in, const ConstrainedLeastSquares& f) {
  validate(f, in);
  const Image gray = finite_luma(in);
  const Transfer2d transfer = transfer_of(f.psf, gray.shape(), f.border);
  const Balance balance(ChannelSpectrum(gray, transfer).measure(), Penalty(transfer.grid.frame, f.smooth));
  WeightCurve c;
  c.noise = noise_of(f.noise, in);
  for (double at = kLowest; at <= kHighest; at += 0.5) {
    const Balance::At p = balance.at(std::exp(at));
    c.weight.push_back(std::exp(at));
    c.residual.push_back(std::sqrt(p.residual));
    c.roughness.push_back(std::sqrt(p.roughness));
    c.score.push_back(p.score);
  }
  const auto index = [&](WeightBy by) {
    return to_integer<int>(std::round((chosen(balance, by, c.noise).at - kLowest) / 0.5), 0,
                           static_cast<int>(c.weight.size()) - 1);
  };
  c.by_discrepancy = index(WeightBy::discrepancy);
  c.by_validation = index(WeightBy::validation);
  c.by_corner = index(WeightBy::corner);
  return c;
}

static std::vector<Stage> stages_of_constrained_least_squares(const ConstrainedLeastSquares& f, const ConstView& in) {
  const WeightCurve c = weight_curve(in, f);
  const auto logs = [](const std::vector<double>& v) {
    std::vector<double> l;
    for (const double x : v) l.push_back(std::log10(std::max(1e-12, x)));
    return l;
  };
  Stage residual, score, corner;
  residual.name = "residual: equal to the noise";
  residual.curves = {{"residual", logs(c.weight), logs(c.residual), c.by_discrepancy}};
  residual.x_name = score.x_name = "log10 weight";
  residual.y_name = "log10 residual";
  score.name = "cross-validation: lowest score";
  score.curves = {{"score", logs(c.weight), logs(c.score), c.by_validation}};
  score.y_name = "log10 score";
  corner.name = "L-curve: its corner";
  corner.curves = {{"weight falls to the left", logs(c.residual), logs(c.roughness), c.by_corner}};
  corner.x_name = "log10 residual";
  corner.y_name = "log10 roughness";
  return {residual, score, corner};
}

Image ConstrainedLeastSquares::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void ConstrainedLeastSquares::operator()(const ConstView& in, const View& out) const {
  run_linear(*this, in, out, weight ? Measures::nothing : Measures::channels);
}
void ConstrainedLeastSquares::describe(Description<ConstrainedLeastSquares>& d) {
  d.called("constrained_least_squares", "restore",
           "The smoothest picture that explains the blurred one within its noise.");
  d.also({"deblur", "deconvolve", "restore", "Tikhonov", "regularization", "Laplacian"});
  d.wrong("edges must be free of ripples: take richardson_lucy.");
  describe_psf(d);
  d.meaning(psf_meaning<ConstrainedLeastSquares>);
  d.stages(stages_of_constrained_least_squares);
  d.field("weight", &ConstrainedLeastSquares::weight, "", "of the smoothness", {0, 1e6});
  d.field("by", &ConstrainedLeastSquares::by, "",
          "how weight=auto is found: cross-validation, residual equal to the noise, or corner of the L-curve");
  d.field("smooth", &ConstrainedLeastSquares::smooth, "",
          "yes: the Laplacian is kept small; no: the picture itself (Tikhonov)");
  d.field("noise", &ConstrainedLeastSquares::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  describe_border(d);
}

}  // namespace sieve
