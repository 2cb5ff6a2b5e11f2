// Wavelet transforms against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

namespace {

auto forward(Wavelet wavelet, int levels, bool undecimated = false) {
  return [=](const ConstView& in, const View&) {
    static WaveletBands bands;
    wavelet_forward(in, wavelet, levels, undecimated, bands);
  };
}

auto back(Wavelet wavelet, int levels) {
  return [=](const ConstView& in, const View& out) {
    static const WaveletBands bands = wavelet_forward(in, wavelet, levels);
    wavelet_inverse(bands, out);
  };
}

}  // namespace

int main(int argc, char** argv) {
  using bench::against_copy;
  against_copy("9/7, five levels", forward(Wavelet::nine_seven, 5));
  against_copy("9/7, five levels, back", back(Wavelet::nine_seven, 5));
  against_copy("5/3, five levels", forward(Wavelet::five_three, 5));
  against_copy("haar, five levels", forward(Wavelet::haar, 5));
  against_copy("daubechies4, five levels", forward(Wavelet::daubechies4, 5));
  against_copy("daubechies4, five levels, back", back(Wavelet::daubechies4, 5));
  against_copy("haar, undecimated, three levels", forward(Wavelet::haar, 3, true));
  against_copy("wavelet_shrink", WaveletShrink{.noise = 0.1F});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
