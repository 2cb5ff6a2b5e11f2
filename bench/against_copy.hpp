#pragma once
// Times an operation in turns with a parallel copy of the same picture, so that the ratio of the two medians holds
// on a noisy machine.

#include <benchmark/benchmark.h>

#include "measure.hpp"

namespace sieve::bench {

// Registers `filter` on a picture, into a buffer of its own, as a benchmark; the counter x_copy is the figure to read.
template <class F>
void against_copy_of(const Image& (*picture)(), const char* name, F filter) {
  benchmark::RegisterBenchmark(name,
                               [filter, picture](benchmark::State& state) {
                                 const Image& in = picture();
                                 Image copied(in.shape());
                                 Shape shape = in.shape();
                                 if constexpr (FilterStruct<F>)
                                   shape = description_of<F>().result_shape(&filter, shape);
                                 Image out(shape);
                                 std::vector<double> work, copies;
                                 filter(in, out.view());
                                 copy(in, copied.view());
                                 for (auto _ : state) {
                                   copies.push_back(seconds([&] { copy(in, copied.view()); }));
                                   work.push_back(seconds([&] { filter(in, out.view()); }));
                                   state.SetIterationTime(work.back());
                                 }
                                 state.counters["x_copy"] = median(work) / median(copies);
                                 state.counters["copy_ms"] = 1e3 * median(copies);
                                 state.counters["Mpixel/s"] =
                                     static_cast<double>(in.shape().pixels()) / median(work) / 1e6;
                               })
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond)
      ->MinTime(0.5);
}

template <class F>
void against_copy(const char* name, F filter) {
  against_copy_of(large, name, filter);
}
template <class F>
void against_color_copy(const char* name, F filter) {
  against_copy_of(large_color, name, filter);
}

}  // namespace sieve::bench
