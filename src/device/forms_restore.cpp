// Richardson-Lucy with a point spread function that is small, or a product of a row and a column.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "device/forms.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/restore.hpp"

namespace sieve::internal::device {

namespace {

// A larger one is faster by transforms.
constexpr std::size_t kMostTaps = 31 * 31;

// The iterations of one channel.
class Iteration {
 public:
  Iteration(const RichardsonLucy& f, const sieve::Kernel& psf, Bench& bench)
      : f_(f),
        bench_(bench),
        blur_(weighed(psf.turned(), f.border, 0).value()),
        back_(weighed(psf, f.border, 0).value()) {}

  Planes run(const Planes& given, int channel) const {
    const auto samples = static_cast<double>(given.samples());
    Planes g = bench_.spare(1), zero = bench_.spare(1);
    bench_.set_to_zero(zero);
    bench_.combine("fmax(v, w)", {}, given, zero, g);
    const std::vector<double> sums = bench_.sums(
                                  {.file = "figures", .kernel = "sum_of_rows", .integers = {0, g.place().width}}, {&g},
                                  1),
                              squares = bench_.sums({.file = "figures", .kernel = "squares"}, {&g}, 1);
    const double mean = sums[0] / samples,
                 enough = static_cast<double>(number(f_.tolerance)) *
                          std::sqrt(std::max(0.0, squares[0] / samples - mean * mean)),
                 smoothness = static_cast<double>(f_.smoothness.value_or(0)), noise = static_cast<double>(*f_.noise);
    const auto half = static_cast<float>(smoothness / 2);
    Planes u = bench_.spare(1), before = bench_.spare(1), start = bench_.spare(1), blurred = std::move(zero),
           x = bench_.spare(1), y = bench_.spare(1);
    bench_.copy(g, u);
    bench_.copy(g, before);
    double residual = 0;
    int done = 0;
    Progress progress(f_.iterations);
    for (int i = 0; i < f_.iterations; ++i) {
      checkpoint();
      const float ahead = f_.accelerate && i > 0 ? static_cast<float>((i - 1.0) / (i + 2.0)) : 0;
      bench_.combine("fmax(0.0f, v + n[0] * (v - w))", {ahead}, u, before, start);
      run_in_turn(bench_, blur_, start, blurred);
      if (smoothness == 0 && noise > 0) {
        residual = apart(g, blurred);
        if (residual <= noise) {
          tell(channel, done, smoothness, residual);
          return start;
        }
      }
      bench_.combine("w > 1e-9f ? v / w : 0", {}, g, blurred, before);
      run_in_turn(bench_, back_, before, blurred);
      std::swap(before, u);
      bench_.combine("fmax(0.0f, v * w)", {}, start, blurred, u);
      for (int time = 0; smoothness > 0 && time < 2; ++time) {
        bench_.run({.file = "variation", .kernel = "normals", .reals = {half}}, {&u}, {&x, &y});
        bench_.run({.file = "variation", .kernel = "smooth_quotient", .reals = {half}}, {&u, &x, &y}, {&blurred});
        std::swap(u, blurred);
      }
      ++done;
      progress.add(1);
      // The first steps are short because they have no momentum yet.
      constexpr int kFirst = 10;
      if (smoothness > 0 && i >= kFirst && apart(u, before) <= enough) break;
    }
    tell(channel, done, smoothness, residual);
    return u;
  }

 private:
  // The root of the mean square of the differences.
  double apart(const Planes& a, const Planes& b) const {
    const std::vector<double> s = bench_.sums({.file = "figures", .kernel = "differences"}, {&a, &b}, 2);
    return std::sqrt(s[0] / static_cast<double>(a.samples()));
  }
  void tell(int channel, int done, double smoothness, double residual) const {
    note(fmt::format("richardson_lucy: channel {}: {} iterations, smoothness {:.3g}{}", channel + 1, done, smoothness,
                     residual > 0 ? fmt::format(", residual {:.5f}", residual) : ""));
  }

  const RichardsonLucy& f_;
  Bench& bench_;
  std::vector<Pass> blur_, back_;
};

Made richardson_lucy(const RichardsonLucy& f, const Shape&) {
  // What is beyond the picture is found by transforms with taper, and so is the start with both noise and smoothness.
  if (f.border == Border::taper || !f.noise || (*f.noise > 0 && f.smoothness.value_or(1) > 0)) return std::nullopt;
  double sum = 0;
  for (const double t : f.psf.taps()) sum += t;
  if (!(sum > 0) || (f.psf.taps().size() > kMostTaps && !f.psf.separated())) return std::nullopt;
  std::vector<double> taps = f.psf.taps();
  for (double& t : taps) t /= sum;
  const sieve::Kernel psf(f.psf.width(), f.psf.height(), taps, f.psf.anchor_x(), f.psf.anchor_y());
  Work w;
  w.reach = Work::kWhole;
  w.buffers = 10;
  w.passes = weighed(psf, f.border, 0).value();
  w.run = [f, psf](Bench& bench) {
    on_finite(bench, [&](const Planes& finite) {
      Planes out = bench.spare();
      const Planes one = bench.spare(1);
      const Iteration iteration(f, psf, bench);
      Progress progress(finite.count());
      for (int c = 0; c < finite.count(); ++c) {
        bench.copy_plane(finite, c, one, 0);
        bench.copy_plane(iteration.run(one, c), 0, out, c);
        progress.add(1);
      }
      return out;
    });
  };
  return w;
}

}  // namespace

void add_restorers(Forms& forms) { forms.add<RichardsonLucy>(richardson_lucy); }

}  // namespace sieve::internal::device
