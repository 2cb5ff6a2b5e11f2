// Fourier and cosine transforms: against the bare FFT library with as many threads, and against a parallel copy.

#include "against_fft.hpp"

using namespace sieve;

namespace {

const Image& square() {
  static const Image image = bench::noise(2048, 2048);
  return image;
}

template <class Work>
void against_bare(const char* name, bool both, Work work) {
  bench::against_bare(name, square, 2048, both, work);
}

}  // namespace

int main(int argc, char** argv) {
  against_bare("low_pass, gaussian, mirrored", true, [](const ConstView& in, const View& out) { LowPass{}(in, out); });
  against_bare("low_pass, butterworth, mirrored", true,
               [](const ConstView& in, const View& out) { LowPass{.form = PassForm::butterworth}(in, out); });
  against_bare("low_pass, gaussian, wrapped", true,
               [](const ConstView& in, const View& out) { LowPass{.border = Border::wrap}(in, out); });
  against_bare("band_stop, mirrored", true, [](const ConstView& in, const View& out) { BandStop{}(in, out); });
  against_bare("notch, wrapped", true,
               [](const ConstView& in, const View& out) { Notch{.border = Border::wrap}(in, out); });
  against_bare("spectrum", false, [](const ConstView& in, const View&) { benchmark::DoNotOptimize(spectrum(in)); });
  against_bare("cosine, whole picture", false,
               [](const ConstView& in, const View& out) { cosine_forward(in, 0, out); });
  bench::against_copy("cosine, 8x8 blocks", [](const ConstView& in, const View& out) { cosine_forward(in, 8, out); });
  bench::against_copy("cosine, 8x8 blocks, back",
                      [](const ConstView& in, const View& out) { cosine_inverse(in, 8, out); });
  bench::against_copy("cosine, 16x16 blocks",
                      [](const ConstView& in, const View& out) { cosine_forward(in, 16, out); });
  bench::against_copy("convolve, 31x31 by Fourier",
                      Convolve{.kernel = Kernel::disk(15), .method = ConvolutionMethod::fourier});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
