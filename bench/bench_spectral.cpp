// Fourier and cosine transforms: against the bare FFT library with as many threads, and against a parallel copy.

#include <fftw3.h>

#include "against_copy.hpp"

using namespace sieve;

namespace {

const Image& square() {
  static const Image image = bench::noise(2048, 2048);
  return image;
}

// The library's own two-dimensional transform, there and back, planned with the same effort.
class Bare {
 public:
  explicit Bare(const Image& in) : samples_(in.shape().pixels()), spectrum_(in.shape().pixels()) {
    fftwf_init_threads();
    fftwf_plan_with_nthreads(threads());
    auto* s = reinterpret_cast<fftwf_complex*>(spectrum_.data());
    there_ = fftwf_plan_dft_r2c_2d(in.height(), in.width(), samples_.data(), s, FFTW_ESTIMATE);
    back_ = fftwf_plan_dft_c2r_2d(in.height(), in.width(), s, samples_.data(), FFTW_ESTIMATE);
    fftwf_plan_with_nthreads(1);  // for the plans that the library under test makes itself
    for (int y = 0; y < in.height(); ++y) std::copy_n(in.row(y), in.width(), samples_.data() + static_cast<std::ptrdiff_t>(y) * in.width());
  }
  void forward() const { fftwf_execute(there_); }
  void inverse() const { fftwf_execute(back_); }

 private:
  std::vector<float> samples_;
  std::vector<std::complex<float>> spectrum_;
  fftwf_plan there_, back_;
};

template <class Work>
void against_bare(const char* name, bool both, Work work) {
  benchmark::RegisterBenchmark(name, [=](benchmark::State& state) {
    const Image& in = square();
    static const Bare bare(in);
    Image out(in.shape());
    std::vector<double> times, bares;
    work(in, out.view());
    bare.forward();
    for (auto _ : state) {
      bares.push_back(bench::seconds([&] {
        bare.forward();
        if (both) bare.inverse();
      }));
      times.push_back(bench::seconds([&] { work(in, out.view()); }));
      state.SetIterationTime(times.back());
    }
    state.counters["x_bare_fft"] = bench::median(times) / bench::median(bares);
    state.counters["bare_ms"] = 1e3 * bench::median(bares);
  })->UseManualTime()->Unit(benchmark::kMillisecond)->MinTime(0.5);
}

}  // namespace

int main(int argc, char** argv) {
  against_bare("low_pass, gaussian, mirrored", true, [](const ConstView& in, const View& out) { LowPass{}(in, out); });
  against_bare("low_pass, butterworth, mirrored", true, [](const ConstView& in, const View& out) { LowPass{.form = PassForm::butterworth}(in, out); });
  against_bare("low_pass, gaussian, wrapped", true, [](const ConstView& in, const View& out) { LowPass{.padding = Padding::wrap}(in, out); });
  against_bare("band_stop, mirrored", true, [](const ConstView& in, const View& out) { BandStop{}(in, out); });
  against_bare("notch, wrapped", true, [](const ConstView& in, const View& out) { Notch{.padding = Padding::wrap}(in, out); });
  against_bare("spectrum", false, [](const ConstView& in, const View&) { benchmark::DoNotOptimize(spectrum(in)); });
  against_bare("cosine, whole picture", false, [](const ConstView& in, const View& out) { cosine_forward(in, 0, out); });
  bench::against_copy("cosine, 8x8 blocks", [](const ConstView& in, const View& out) { cosine_forward(in, 8, out); });
  bench::against_copy("cosine, 8x8 blocks, back", [](const ConstView& in, const View& out) { cosine_inverse(in, 8, out); });
  bench::against_copy("cosine, 16x16 blocks", [](const ConstView& in, const View& out) { cosine_forward(in, 16, out); });
  bench::against_copy("convolve, 31x31 by Fourier", Convolve{.kernel = Kernel::disk(15), .way = Way::fourier});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
