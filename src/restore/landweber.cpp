#include "sieve/restore/landweber.hpp"

#include <algorithm>
#include <cmath>

#include "core/luma.hpp"
#include "restore/linear_run.hpp"
#include "restore/told_noise.hpp"
#include "sieve/core/map.hpp"

namespace sieve {

using namespace internal;

namespace {

double largest_of(const Measured& m) {
  return std::max(kZero, *std::max_element(m.transfer.begin(), m.transfer.end()));
}

// What is left of a coefficient after n iterations.
double left(double h2, double step, double n) { return std::pow(std::clamp(1 - step * h2, -1.0, 1.0), n); }

// Deviation of the residual in the picture after n iterations.
double residual(const Measured& m, double step, int n) {
  const double all = static_cast<double>(m.grid.frame.width) * m.grid.frame.height;
  const auto sum = m.sum<1>([&](int, int, double times, double h2, double g2, auto& s) {
    const double l = left(h2, step, n);
    s[0] += times * g2 * l * l;
  });
  return std::sqrt(sum[0] / m.noise_share) / all;
}

// The first iteration whose residual is at most `noise`, or the last.
int stop_at(const Measured& m, double step, double noise, int most) {
  if (noise <= 0 || residual(m, step, most) > noise) return most;
  int low = 0, high = most;  // above the noise, not above it
  while (high - low > 1) {
    const int middle = low + (high - low) / 2;
    (residual(m, step, middle) > noise ? low : high) = middle;
  }
  return high;
}

}  // namespace

static Prepare division(const Landweber& f, const ConstView& in) {
  const double s = noise_of(f.noise, in);
  return [f, s](const Grid&, const std::function<Measured()>& measure) -> Factor {
    const Measured m = measure();
    const double step = static_cast<double>(f.step) / largest_of(m);
    const int n = stop_at(m, step, s, f.iterations);
    if (notes_heard())
      note(fmt::format("{} iterations, residual {:.5f}{}", n, residual(m, step, n),
                       s > 0 ? fmt::format(", noise {:.5f}{}", s, f.noise ? "" : " (estimated)") : ""));
    return [step, n](int, int, Complex h) {
      const double h2 = std::norm(h);
      // For the smallest |H| the series begins with n step conj(H).
      return h2 * step * n > 1e-9 ? std::conj(h) * ((1 - left(h2, step, n)) / h2) : std::conj(h) * (step * n);
    };
  };
}

Image Landweber::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Landweber::operator()(const ConstView& in, const View& out) const {
  run_linear(*this, in, out, noise && *noise == 0 ? Measures::nothing : Measures::channels);
}

static std::vector<Stage> stages_of_landweber(const Landweber& f, const ConstView& in) {
  validate(f, in);
  const Image gray = finite_luma(in);
  const Transfer2d transfer = transfer_of(f.psf, gray.shape(), f.border);
  const Measured m = ChannelSpectrum(gray, transfer).measure();
  const double rate = static_cast<double>(f.step) / largest_of(m), s = noise_of(f.noise, in);
  StageCurve c{"residual", {}, {}};
  for (double n = 1; n <= f.iterations; n = std::max(n + 1, n * 1.3)) {
    c.x.push_back(std::log10(std::floor(n)));
    c.y.push_back(std::log10(std::max(1e-9, residual(m, rate, static_cast<int>(n)))));
  }
  const double stop = std::log10(stop_at(m, rate, s, f.iterations));
  c.chosen =
      static_cast<int>(std::min_element(c.x.begin(), c.x.end(),
                                        [&](double a, double b) { return std::abs(a - stop) < std::abs(b - stop); }) -
                       c.x.begin());
  Stage stage;
  stage.name = fmt::format("iterations: ends at {}", stop_at(m, rate, s, f.iterations));
  stage.curves = {c};
  stage.x_name = "log10 iterations";
  stage.y_name = "log10 residual";
  return {stage};
}

void Landweber::describe(Description<Landweber>& d) {
  d.called("landweber", "restore", "Goes to the inverse filter step by step, and stops where the noise begins.");
  d.also({"deblur", "deconvolve", "restore", "iterative"});
  d.wrong("the noise is known and time is short of nothing: wiener weighs each frequency by itself and is closer.");
  describe_psf(d);
  d.meaning(psf_meaning<Landweber>);
  d.stages(stages_of_landweber);
  d.field("iterations", &Landweber::iterations, "", "at most", {1, 1000000});
  d.field("step", &Landweber::step, "", "of each iteration, times 1 / (largest |H|)^2", {0.001, 1.99});
  d.field("noise", &Landweber::noise, "0..1 scale", "deviation of the residual to stop at; 0: never", {0, 1});
  describe_border(d);
}

}  // namespace sieve
