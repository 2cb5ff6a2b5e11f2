#include "limits_table.hpp"

#include <fmt/format.h>

#include <cstdio>

#include "measure.hpp"
#include "sieve/filter.hpp"

namespace sieve::bench {

using nlohmann::ordered_json;

// Medians of passes that take turns, so that a machine that slows down slows both.
Times in_turns(const Budget& budget, const std::function<void()>& operation, const std::function<void()>& yardstick) {
  std::vector<double> a, b;
  double total = 0;
  yardstick();
  const double first = seconds(operation);  // warms up; counted only where it is long
  if (first > budget.seconds) a.push_back(first);
  while (static_cast<int>(a.size()) < budget.least || (total < budget.seconds && a.size() < 200)) {
    b.push_back(seconds(yardstick));
    a.push_back(seconds(operation));
    total += a.back() + b.back();
    if (total > 4 * budget.seconds) break;
  }
  return {median(a), median(b)};
}

void heading(const char* text) {
  fmt::print("\n{}\n", text);
  std::fflush(stdout);
}

ordered_json measure_yardsticks(const Budget& budget) {
  heading("Yardsticks");
  ordered_json all;
  for (const By by : all_yardsticks()) {
    const Yardstick& y = yardstick(by);
    const double t = in_turns(budget, y.work, [] {}).operation;
    fmt::print("  {:44} {:10.3f} ms {:10.2f} {}\n", y.name, 1e3 * t, y.units / t, y.unit);
    all.push_back({{"yardstick", y.name}, {"ms", 1e3 * t}, {"rate", y.units / t}, {"unit", y.unit}});
  }
  return all;
}

ordered_json measure_operations(const Budget& budget, bool quick) {
  heading("Operations: goals are at most so many times the yardstick, or at least so many megapixels a second");
  fmt::print("  {:52} {:>10} {:>10} {:>9}  {}\n", "operation", "ms", "reached", "goal", "met");
  ordered_json all;
  for (const Operation& o : operations()) {
    if (quick && o.slow) continue;
    const auto work = o.prepare();
    const Yardstick& y = yardstick(o.against);
    const Times t = in_turns(budget, work, y.work);
    const double reached = o.kind == Operation::Goal::at_most    ? t.operation / t.yardstick
                           : o.kind == Operation::Goal::at_least ? o.megapixels / t.operation
                                                                 : o.yardsticks * t.yardstick / t.operation;
    const bool met = o.kind == Operation::Goal::at_most ? reached <= o.goal : reached >= o.goal;
    const char* unit = o.kind == Operation::Goal::at_least ? "MP/s" : "x";
    fmt::print("  {:52} {:10.2f} {:8.2f} {:4} {:>6} {}\n", o.name, 1e3 * t.operation, reached, unit,
               o.goal > 0 ? fmt::format("{:g}", o.goal) : "-", o.goal > 0 ? met ? "yes" : "NO" : "");
    std::fflush(stdout);
    ordered_json j = {{"operation", o.name},     {"against", y.name},
                      {"ms", 1e3 * t.operation}, {"yardstick_ms", 1e3 * t.yardstick},
                      {"reached", reached},      {"unit", unit}};
    if (o.goal > 0) {
      j["goal"] = o.goal;
      j["met"] = met;
    }
    all.push_back(j);
  }
  return all;
}

ordered_json measure_growth(const Budget& budget, bool quick) {
  heading(quick ? "Growth: nanoseconds a pixel"
                : "Growth: nanoseconds a pixel; from 3840x2160 to 10000x10000 at most 1.5 times as many are wanted");
  fmt::print("  {:32} {:>10} {:>10}{}\n", "operation", "512x512", "3840x2160",
             quick ? "" : fmt::format(" {:>12} {:>8}", "10000x10000", "grows"));
  std::vector<Image> pictures;
  pictures.push_back(noise(512, 512));
  pictures.push_back(noise(3840, 2160));
  if (!quick) pictures.push_back(noise(10000, 10000));
  ordered_json all;
  for (const Growing& g : growing()) {
    std::vector<double> per_pixel;
    for (const Image& in : pictures)
      per_pixel.push_back(1e9 * in_turns(budget, g.prepare(in), [] {}).operation /
                          static_cast<double>(in.shape().pixels()));
    fmt::print("  {:32} {:10.2f} {:10.2f}", g.name, per_pixel[0], per_pixel[1]);
    if (!quick)
      fmt::print(" {:12.2f} {:8.2f}{}", per_pixel[2], per_pixel[2] / per_pixel[1],
                 per_pixel[2] > 1.5 * per_pixel[1] ? " NO" : "");
    fmt::print("\n");
    std::fflush(stdout);
    all.push_back({{"operation", g.name}, {"ns_per_pixel", per_pixel}});
  }
  return all;
}

ordered_json measure_threads(const Budget& budget) {
  const int most = threads();
  heading("Threads, 3840x2160: at least 1.7 times as fast with two is wanted of what memory does not bound");
  ordered_json all;
  if (most < 2) {
    fmt::print("  this machine has one processor\n");
    return all;
  }
  const Image in = noise(3840, 2160);
  for (const Growing& g : growing()) {
    const auto work = g.prepare(in);
    // In turns with itself, with one thread and with two.
    const Times t = in_turns(
        budget,
        [&] {
          set_threads(2);
          work();
        },
        [&] {
          set_threads(1);
          work();
        });
    set_threads(0);
    const double faster = t.yardstick / t.operation;
    fmt::print("  {:32} {:8.2f} ms with 1 {:8.2f} ms with 2 {:6.2f} times{}\n", g.name, 1e3 * t.yardstick,
               1e3 * t.operation, faster,
               g.bound_by_memory ? "  (memory)"
               : faster < 1.7    ? "  NO"
                                 : "");
    std::fflush(stdout);
    all.push_back({{"operation", g.name},
                   {"ms_1", 1e3 * t.yardstick},
                   {"ms_2", 1e3 * t.operation},
                   {"times", faster},
                   {"bound_by_memory", g.bound_by_memory}});
  }
  return all;
}

ordered_json measure_loops() {
  heading("Against nested loops, 1920x1080, one thread each; and with all threads");
  ordered_json all;
  for (const Pair& p : against_loops(1920, 1080)) {
    const double loops = seconds(p.loops);
    set_threads(1);
    const double one = in_turns({0.2, 3}, p.ours, [] {}).operation;
    set_threads(0);
    const double every = in_turns({0.2, 3}, p.ours, [] {}).operation;
    fmt::print("  {:20} {:9.1f} ms by loops {:8.2f} ms {:7.1f} times faster {:8.2f} ms {:7.1f} times\n", p.name,
               1e3 * loops, 1e3 * one, loops / one, 1e3 * every, loops / every);
    std::fflush(stdout);
    all.push_back({{"operation", p.name},
                   {"loops_ms", 1e3 * loops},
                   {"one_thread_ms", 1e3 * one},
                   {"ms", 1e3 * every},
                   {"times_one_thread", loops / one},
                   {"times", loops / every}});
  }
  return all;
}

}  // namespace sieve::bench
