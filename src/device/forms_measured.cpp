// Filters that measure the picture where it lies: nothing but a few numbers comes back for it.

#include <fmt/format.h>

#include <cmath>

#include "core/luma.hpp"
#include "device/forms.hpp"
#include "device/measures.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/tone.hpp"
#include "tone/level_map.hpp"

namespace sieve::internal::device {

namespace {

// A line through two levels; where they are one or none, every sample becomes `to_low`.
Point line(const Stretch& f, float low, float high) {
  const bool flat = !(low != high) || !std::isfinite(low) || !std::isfinite(high);
  const double slope = flat ? 0
                            : (static_cast<double>(number(f.to_high)) - static_cast<double>(number(f.to_low))) /
                                  (static_cast<double>(high) - static_cast<double>(low));
  return {.text = "(v - n[0]) * n[1] + n[2]", .numbers = {flat ? 0 : low, static_cast<float>(slope), number(f.to_low)}};
}

Made stretch(const Stretch& f, const Shape&) {
  if (f.low && f.high) return Work{.point = line(f, *f.low, *f.high), .run = {}};
  if (f.percent != 0) return std::nullopt;
  Work w;
  w.reach = Work::kWhole;
  w.run = [f](Bench& bench) {
    SampleFigures ends{.low = INFINITY, .high = -INFINITY};
    bench.gather(0, std::numeric_limits<int>::max(), ends);
    const float low = f.low.value_or(ends.low), high = f.high.value_or(ends.high);
    note(fmt::format("stretch: low={:.4g}, high={:.4g}, measured", low, high));
    const Point p = line(f, low, high);
    bench.run_points({&p, 1});
  };
  return w;
}

Made equalize(const Equalize& f, const Shape&) {
  Work w;
  w.reach = Work::kWhole;
  w.buffers = 3;
  w.run = [f](Bench& bench) {
    const int levels = levels_of(bench.white_level(), f.levels.value_or(0)), colors = bench.picture().count();
    const bool by_luma = f.color == ColorBy::luma && colors == 3;
    if (bench.white_level() == 0)
      note(fmt::format("float samples were sorted into {} levels: give levels= for finer steps", levels));
    Planes luma;
    if (by_luma) {
      luma = bench.spare(1);
      run_luma(bench, luma);
    }
    const Planes& from = by_luma ? luma : bench.picture();
    std::vector<float> tables;
    for (int c = 0; c < from.count(); ++c) {
      const std::vector<float> map = level_map(level_rows(levels_on(bench, from, c, levels)));
      tables.insert(tables.end(), map.begin(), map.end());
    }
    const Planes table = bench.numbers(tables);
    Planes to = bench.spare(from.count());
    bench.run({.file = "tables", .kernel = "look_up", .integers = {levels}, .reals = {static_cast<float>(levels - 1)}},
              {&from, &table}, {&to});
    if (!by_luma) return bench.become(std::move(to));
    Planes lit = bench.spare();
    Pass relight{.file = "tables", .kernel = "relight"};
    relight.joint = true;
    bench.run(relight, {&bench.picture(), &luma, &to}, {&lit});
    bench.become(std::move(lit));
  };
  return w;
}

}  // namespace

void add_measured(Forms& forms) {
  forms.add<Stretch>(stretch);
  forms.add<Equalize>(equalize);
}

}  // namespace sieve::internal::device
