// Denoisers whose settings are known.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "denoise/total_variation_steps.hpp"
#include "device/forms.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise.hpp"

namespace sieve::internal::device {

namespace {

Made bilateral(const Bilateral& f, const Shape&) {
  const bool exact = f.method == BilateralMethod::exact || (f.method == BilateralMethod::automatic && f.sigma <= 4);
  if (!f.range || !exact) return std::nullopt;
  const float sigma = number(f.sigma);
  const int radius = static_cast<int>(std::ceil(2.5F * sigma)), side = 2 * radius + 1;
  Pass p{.file = "denoise", .kernel = "bilateral"};
  for (int dy = -radius; dy <= radius; ++dy) {
    for (int dx = -radius; dx <= radius; ++dx)
      p.numbers.push_back(-static_cast<float>(dx * dx + dy * dy) / (2 * sigma * sigma));
  }
  p.integers = {radius};
  p.reals = {1 / (2 * *f.range * *f.range)};
  p.reach = radius;
  p.border = f.border;
  p.tile_across = p.tile_down = 2 * radius;
  p.several = true;
  p.operations = 20.0 * side * side;
  return in_turn({std::move(p)});
}

Made guided(const Guided& f, const Shape&) {
  if (!f.strength || !f.with.empty() || f.radius > kFarthestMean) return std::nullopt;
  const int radius = static_cast<int>(f.radius);
  Pass spread{.file = "denoise", .kernel = "row_spread", .integers = {radius}, .border = f.border};
  spread.tile_across = 2 * radius;
  spread.tile_down = 0;
  spread.several = true;
  spread.operations = 6.0 * (2 * radius + 1);
  Pass fit{.file = "denoise", .kernel = "fit_lines", .integers = {radius}, .reach = radius, .border = f.border};
  fit.reals = {*f.strength * *f.strength};
  fit.operations = 6.0 * (2 * radius + 1);
  const std::vector<Pass> mean = weighed(sieve::Kernel::box(radius), f.border, 0).value();
  Work w;
  w.buffers = 4;
  w.passes = {spread, fit};
  w.passes.insert(w.passes.end(), mean.begin(), mean.end());
  w.reach = reach_of(w.passes);
  w.run = [=](Bench& bench) {
    Planes means = bench.spare(), squares = bench.spare(), slopes = bench.spare(), offsets = bench.spare();
    bench.run(spread, {&bench.picture()}, {&means, &squares});
    bench.run(fit, {&means, &squares}, {&slopes, &offsets});
    run_in_turn(bench, mean, slopes, means);
    run_in_turn(bench, mean, offsets, squares);
    bench.combine("v * w", {}, means, bench.picture(), slopes);
    bench.combine("v + w", {}, slopes, squares, offsets);
    bench.become(std::move(offsets));
  };
  return w;
}

Made nonlocal(const NonlocalMeans& f, const Shape& in) {
  constexpr float kLeast = 1e-4F;  // the least noise that is reckoned with
  if (!f.noise || !f.strength) return std::nullopt;
  const int colors = in.color_channels(), side = 2 * f.patch + 1, around = f.patch + f.search;
  const float s = std::max(kLeast, *f.noise), h = *f.strength * s;
  Pass p{.file = "denoise", .kernel = "nonlocal", .options = fmt::format("-DCOLORS={}", colors)};
  p.integers = {f.patch, f.search};
  p.reals = {1 / (static_cast<float>(side * side * colors) * h * h), 2 * s * s / (h * h)};
  p.reach = around;
  p.border = f.border;
  p.tile_across = p.tile_down = 2 * around;
  p.tile_planes = colors;
  p.strip_across = 2 * f.patch;
  p.several = p.joint = true;
  p.operations = std::pow(2.0 * f.search + 1, 2) * (3.0 * side + side + 12);
  return in_turn({std::move(p)});
}

// Until the gap between the primal and the dual objective is as small as is asked for.
class Variation {
 public:
  Variation(const TotalVariation& f, Bench& bench) : f_(f), bench_(bench), weight_(*f.weight) {}

  Planes run(const Planes& in) {
    Planes u = bench_.spare();
    const Planes ahead = bench_.spare(), x = bench_.spare(), y = bench_.spare();
    bench_.copy(in, u);
    bench_.copy(in, ahead);
    bench_.set_to_zero(x);
    bench_.set_to_zero(y);
    TvSteps steps(static_cast<double>(weight_));
    Progress progress(f_.iterations);
    int done = 0;
    double gap = 0, share = 0, objective = 0;
    for (;;) {
      const int turns =
          std::min(turns_ahead(done, share, static_cast<double>(number(f_.tolerance))), f_.iterations - done);
      for (int i = 0; i < turns; ++i) iterate(steps.next(), in, u, ahead, x, y);
      done += turns;
      progress.add(turns);
      checkpoint();
      const double before = gap, twice = 2 * static_cast<double>(weight_);
      Pass sums{.file = "figures", .kernel = "variation", .integers = {in.count()}, .reals = {weight_}};
      sums.joint = true;
      const std::vector<double> s = bench_.sums(sums, {&in, &u, &x, &y}, 4);
      gap = std::max(0.0, s[1] + s[3] / twice);
      objective = s[0] + s[2] / twice;
      share = objective > 0 ? gap / objective : 0;
      if (done >= f_.iterations || share <= static_cast<double>(number(f_.tolerance))) break;
      if (done > turns && gap > before) steps.be_careful();
    }
    note(fmt::format("total_variation: weight {:.4f}: {} iterations, objective {:.6g}, within {:.2g} % of the optimum",
                     weight_, done, objective, 100 * share));
    return u;
  }

 private:
  void iterate(const TvStep& s, const Planes& in, const Planes& u, const Planes& ahead, const Planes& x,
               const Planes& y) {
    Pass dual{.file = "variation", .kernel = "dual_step", .integers = {in.count()}, .reals = {s.dual}};
    dual.joint = true;
    bench_.run(dual, {&ahead}, {&x, &y});
    bench_.run({.file = "variation", .kernel = "primal_step", .reals = {weight_, s.share, s.momentum}}, {&in, &x, &y},
               {&u, &ahead});
  }

  const TotalVariation& f_;
  Bench& bench_;
  float weight_;
};

Made total_variation(const TotalVariation& f, const Shape& in) {
  if (!f.weight || (!f.together && in.color_channels() > 1)) return std::nullopt;
  Work w;
  w.reach = Work::kWhole;
  w.buffers = 5;
  w.run = [f](Bench& bench) {
    on_finite(bench, [&](const Planes& finite) { return Variation(f, bench).run(finite); });
  };
  return w;
}

}  // namespace

void add_denoisers(Forms& forms) {
  forms.add<Bilateral>(bilateral);
  forms.add<Guided>(guided);
  forms.add<NonlocalMeans>(nonlocal);
  forms.add<TotalVariation>(total_variation);
}

}  // namespace sieve::internal::device
