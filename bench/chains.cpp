#include <fmt/format.h>

#include <fstream>
#include <string>

#include "limits_table.hpp"
#include "measure.hpp"
#include "sieve/filter.hpp"
#include "sieve/run.hpp"

namespace sieve::bench {

using nlohmann::ordered_json;

namespace {

// Megabytes of this process that /proc knows by that name: VmRSS now, VmHWM at most so far.
double megabytes(const std::string& name) {
  std::ifstream status("/proc/self/status");
  for (std::string word; status >> word;) {
    double kilobytes = 0;
    if (word == name + ":" && status >> kilobytes) return kilobytes / 1024;
  }
  return 0;
}

// What the work needs at most beyond what is there before it.
double peak_of(const std::function<void()>& work) {
  std::ofstream("/proc/self/clear_refs") << 5;  // the peak begins anew
  const double before = megabytes("VmRSS");
  work();
  return megabytes("VmHWM") - before;
}

// A figure against its goal.
ordered_json tell(const char* what, double figure, const char* unit, double goal) {
  fmt::print("  {:64} {:7.2f} {:10} goal {:g}{}\n", what, figure, unit, goal, figure <= goal ? "" : "  NO");
  return {{"what", what}, {"figure", figure}, {"unit", unit}, {"goal", goal}};
}

// A user's mean of (2 reach + 1) squared samples.
template <int reach>
void own_mean(const ConstView& in, const View& out) {
  map_windows<reach>(in, out, Border::edge, [](const LaneWindow& w) {
    Lanes sum;
    for (int y = -reach; y <= reach; ++y) {
      for (int x = -reach; x <= reach; ++x) sum += w(x, y);
    }
    return sum / static_cast<float>((2 * reach + 1) * (2 * reach + 1));
  });
}

}  // namespace

ordered_json measure_chain(const Budget& budget) {
  heading("A chain by strips, 3840x2160: against its steps one after the other, each with a result of its own");
  ordered_json all;
  for (const char* text :
       {"gaussian sigma=2 then unsharp then stretch", "median radius=1 then gamma exponent=1.2 then clip",
        "contrast factor=1.2 then gamma exponent=0.8 then sigmoid then clip"}) {
    const Chain chain = Chain::parse(text);
    const Image in = noise(3840, 2160);
    const std::function<void()> strips = [&] { (void)chain(in); }, steps = [&] {
      (void)Engine::standard().run(chain, in, {.on_step = [](std::size_t, const ConstView&) {}});
    };
    const Times t = in_turns(budget, strips, steps);
    const double memory = peak_of(strips), steps_memory = peak_of(steps);
    fmt::print("  {:72} {:7.2f} ms, steps {:7.2f} ms, {:.2f} times; {:.0f} MB beyond the source, steps {:.0f} MB\n",
               text, 1e3 * t.operation, 1e3 * t.yardstick, t.operation / t.yardstick, memory, steps_memory);
    all.push_back({{"chain", text},
                   {"ms", 1e3 * t.operation},
                   {"steps_ms", 1e3 * t.yardstick},
                   {"megabytes", memory},
                   {"steps_megabytes", steps_memory}});
  }
  return all;
}

ordered_json measure_engine(const Budget& budget) {
  heading("The engine, into a buffer: against copies of the same picture, loops by hand, or in milliseconds");
  ordered_json all = ordered_json::array();
  Engine engine;
  const auto copies = [&](const char* what, const Image& in, double goal, const std::function<void(const View&)>& run) {
    Image out(in.shape()), copied(in.shape());
    const Times t = in_turns(
        budget, [&] { run(out); }, [&] { copy(in, copied); });
    all.push_back(tell(what, t.operation / t.yardstick, "copies", goal));
  };
  {
    const Image in = noise(768, 512, 3);
    Image out(in.shape());
    const Chain chain = Chain::parse("brightness amount=0.1 then contrast factor=1.3 then clip");
    const auto by_hand = [&] {
      parallel_rows(512 * 3, 768, [&](int first, int last) {
        for (int i = first; i < last; ++i) {
          const float* a = in.row(i % 512, i / 512);
          float* r = out.row(i % 512, i / 512);
          for (int x = 0; x < 768; ++x) {
            const float v = 0.5F + 1.3F * (a[x] + 0.1F - 0.5F);
            r[x] = v < 0 ? 0 : v > 1 ? 1 : v;
          }
        }
      });
    };
    const Times t = in_turns(
        budget, [&] { engine.run(chain, in, {.out = out}); }, by_hand);
    all.push_back(tell("768x512 color: brightness, contrast, clip", t.operation / t.yardstick, "by hand", 1.3));
  }
  const Image large = noise(3840, 2160);
  Image levels = large;
  for (int y = 0; y < levels.height(); ++y) {
    for (int x = 0; x < levels.width(); ++x)
      levels.at(x, y) = std::round(std::clamp(large.at(x, y), 0.0F, 1.0F) * 255) / 255;
  }
  levels.set_white_level(255);
  const Chain curves = Chain::parse("contrast factor=1.2 then gamma exponent=0.8 then sigmoid then clip");
  copies("3840x2160 float: contrast, gamma, sigmoid, clip", large, 2.5,
         [&](const View& out) { engine.run(curves, large, {.out = out}); });
  copies("3840x2160 of 8 bits: contrast, gamma, sigmoid, clip", levels, 1.6,
         [&](const View& out) { engine.run(curves, levels, {.out = out}); });
  copies("3840x2160: a user's 3x3 mean", large, 2, [&](const View& out) { own_mean<1>(large, out); });
  copies("3840x2160: a user's 7x7 mean", large, 8, [&](const View& out) { own_mean<3>(large, out); });
  for (const auto& [text, goal] : {std::pair{"gaussian sigma=2 then unsharp then stretch", 0.85},
                                   {"median radius=1 then gamma exponent=1.2 then clip", 0.7}}) {
    const Chain chain = Chain::parse(text);
    Image out(large.shape()), one(large.shape()), two(large.shape());
    const auto steps = [&] {
      engine.run(chain.steps()[0], large, {.out = one});
      engine.run(chain.steps()[1], one, {.out = two});
      engine.run(chain.steps()[2], two, {.out = one});
    };
    const Times t = in_turns(
        budget, [&] { engine.run(chain, large, {.out = out}); }, steps);
    all.push_back(tell(text, t.operation / t.yardstick, "of steps", goal));
  }
  {
    const Image in = noise(6000, 4000);
    Image part(256, 256);
    const Chain chain = Chain::parse("median radius=1 then gaussian sigma=3");
    const auto run = [&] { engine.run(chain, in, {.out = part, .part = Rectangle{3000, 2000, 256, 256}}); };
    all.push_back(
        tell("256x256 of 24 megapixels: median, gaussian", 1e3 * in_turns(budget, run, run).operation, "ms", 3));
  }
  {
    constexpr int kCalls = 1000;
    const Image in = noise(64, 64);
    Image out(in.shape());
    const Filter invert{Invert{}};
    const auto calls = [](const auto& call) {
      return [&call] {
        for (int i = 0; i < kCalls; ++i) call();
      };
    };
    const auto through = [&] { engine.run(invert, in, {.out = out}); };
    const auto loop = [&] { map_samples(in, out, [](float v) { return 1 - v; }); };
    const Times t = in_turns(budget, calls(through), calls(loop));
    all.push_back(
        tell("64x64: one point filter, more than the loop alone", 1e6 * (t.operation - t.yardstick) / kCalls, "us", 5));
  }
  return all;
}

}  // namespace sieve::bench
