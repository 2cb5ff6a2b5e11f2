#pragma once
// Times an operation in turns with a parallel copy of the same picture, so that the ratio of the two medians holds
// on a noisy machine.

#include <benchmark/benchmark.h>

#include <algorithm>
#include <chrono>
#include <functional>
#include <vector>

#include "sieve/sieve.hpp"

namespace sieve::bench {

inline double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

inline double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

// A picture of uniform noise.
inline Image noise(int width, int height, int channels = 1) {
  Image image(width, height, channels);
  const View v = image.view();
  parallel_rows(height * channels, static_cast<std::size_t>(width), [&](int first, int last) {
    const RandomStream random(7);
    for (int i = first; i < last; ++i) {
      for (int x = 0; x < width; ++x) {
        v.at(x, i % height, i / height) = static_cast<float>(random.uniform(static_cast<std::uint64_t>(i) * static_cast<std::uint64_t>(width) + static_cast<std::uint64_t>(x)));
      }
    }
  });
  return image;
}

// The 3840x2160 picture that all figures are for, and a buffer for its copies.
inline const Image& large() {
  static const Image image = noise(3840, 2160);
  return image;
}

// The same in color.
inline const Image& large_color() {
  static const Image image = noise(3840, 2160, 3);
  return image;
}

// Registers `filter` on a picture, into a buffer of its own, as a benchmark; the counter x_copy is the figure to read.
template <class F>
void against_copy_of(const Image& (*picture)(), const char* name, F filter) {
  benchmark::RegisterBenchmark(name, [filter, picture](benchmark::State& state) {
    const Image& in = picture();
    Image copied(in.shape());
    Shape shape = in.shape();
    if constexpr (requires { filter.shape(shape); }) shape = filter.shape(shape);
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
    state.counters["Mpixel/s"] = static_cast<double>(in.shape().pixels()) / median(work) / 1e6;
  })->UseManualTime()->Unit(benchmark::kMillisecond)->MinTime(0.5);
}

template <class F>
void against_copy(const char* name, F filter) { against_copy_of(large, name, filter); }
template <class F>
void against_color_copy(const char* name, F filter) { against_copy_of(large_color, name, filter); }

}  // namespace sieve::bench
