#pragma once
// Times an operation in turns with the bare FFT library: its own two-dimensional transform, with as many threads.

#include "against_copy.hpp"
#include "bare_fft.hpp"

namespace sieve::bench {

// measure() gives the seconds of one pass of the operation; x_bare_fft is the figure to read.
inline void in_turns(const char* name, const Image& (*picture)(), int side, bool both,
                     const std::function<double(const ConstView&, const View&)>& measure) {
  benchmark::RegisterBenchmark(name,
                               [=](benchmark::State& state) {
                                 const Image& in = picture();
                                 const Bare& bare = Bare::of(side);
                                 Image out(in.shape());
                                 std::vector<double> times, bares;
                                 measure(in, out.view());
                                 for (auto _ : state) {
                                   bares.push_back(seconds([&] {
                                     bare.forward();
                                     if (both) bare.inverse();
                                   }));
                                   times.push_back(measure(in, out.view()));
                                   state.SetIterationTime(times.back());
                                 }
                                 state.counters["x_bare_fft"] = median(times) / median(bares);
                                 state.counters["bare_ms"] = 1e3 * median(bares);
                               })
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond)
      ->MinTime(0.5);
}

// Against a transform of side x side forward, or forward and back.
template <class Work>
void against_bare(const char* name, const Image& (*picture)(), int side, bool both, Work work) {
  in_turns(name, picture, side, both,
           [work](const ConstView& in, const View& out) { return seconds([&] { work(in, out); }); });
}

// One iteration: a tenth of what 20 take longer than 10.
template <class Work>
void against_bare_iteration(const char* name, const Image& (*picture)(), int side, Work work) {
  in_turns(name, picture, side, true, [work](const ConstView& in, const View& out) {
    const double ten = seconds([&] { work(10, in, out); }), twenty = seconds([&] { work(20, in, out); });
    return std::max(1e-6, (twenty - ten) / 10);
  });
}

}  // namespace sieve::bench
