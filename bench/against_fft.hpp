#pragma once
// Times an operation in turns with the bare FFT library: its own two-dimensional transform, with as many threads.

#include <fftw3.h>

#include <complex>
#include <map>
#include <memory>

#include "against_copy.hpp"

namespace sieve::bench {

// Planned with the same effort as the library under test plans.
class Bare {
 public:
  explicit Bare(int side) : samples_(static_cast<std::size_t>(side) * static_cast<std::size_t>(side), 0.5F), spectrum_(samples_.size()) {
    fftwf_init_threads();
    fftwf_plan_with_nthreads(threads());
    auto* s = reinterpret_cast<fftwf_complex*>(spectrum_.data());
    there_ = fftwf_plan_dft_r2c_2d(side, side, samples_.data(), s, FFTW_ESTIMATE);
    back_ = fftwf_plan_dft_c2r_2d(side, side, s, samples_.data(), FFTW_ESTIMATE);
    fftwf_plan_with_nthreads(1);  // for the plans that the library under test makes itself
    forward();
  }
  void forward() const { fftwf_execute(there_); }
  void inverse() const { fftwf_execute(back_); }

  static const Bare& of(int side) {
    static std::map<int, std::unique_ptr<Bare>> all;
    auto& bare = all[side];
    if (!bare) bare = std::make_unique<Bare>(side);
    return *bare;
  }

 private:
  std::vector<float> samples_;
  std::vector<std::complex<float>> spectrum_;
  fftwf_plan there_, back_;
};

// measure() gives the seconds of one pass of the operation; x_bare_fft is the figure to read.
inline void in_turns(const char* name, const Image& (*picture)(), int side, bool both, const std::function<double(const ConstView&, const View&)>& measure) {
  benchmark::RegisterBenchmark(name, [=](benchmark::State& state) {
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
  })->UseManualTime()->Unit(benchmark::kMillisecond)->MinTime(0.5);
}

// Against a transform of side x side forward, or forward and back.
template <class Work>
void against_bare(const char* name, const Image& (*picture)(), int side, bool both, Work work) {
  in_turns(name, picture, side, both, [work](const ConstView& in, const View& out) { return seconds([&] { work(in, out); }); });
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
