// Restoration: direct methods and single iterations on 1024x1024, against the FFT library's bare transform there and
// back of the size that the picture is padded to: 2048x2048 where it goes on mirrored, 1024x1024 where its border is
// tapered.

#include "against_fft.hpp"

using namespace sieve;

namespace {

const Image& picture() {
  static const Image image = Blur{.psf = Kernel::gaussian(1.5)}(bench::noise(1024, 1024));
  return image;
}

template <class F>
void direct(const char* name, int padded, F filter) {
  bench::against_bare(name, picture, padded, true, [filter](const ConstView& in, const View& out) { filter(in, out); });
}

// The time of 20 iterations less that of 10, for one.
template <class F>
void iteration(const char* name, int padded, F filter) {
  bench::against_bare_iteration(name, picture, padded, [filter](int n, const ConstView& in, const View& out) {
    F f = filter;
    f.iterations = n;
    f(in, out);
  });
}

}  // namespace

int main(int argc, char** argv) {
  const Kernel soft = Kernel::gaussian(2), motion = Kernel::motion(15, 25);
  direct("inverse, gaussian, mirrored", 2048, Inverse{.psf = Kernel::gaussian(0.7)});
  direct("pseudo_inverse, gaussian, mirrored", 2048, PseudoInverse{.psf = soft});
  direct("wiener, gaussian, mirrored", 2048, Wiener{.psf = soft, .border = Border::mirror});
  direct("wiener, ratio given, mirrored", 2048, Wiener{.psf = soft, .ratio = 0.01F, .border = Border::mirror});
  direct("constrained_least_squares, validation, mirrored", 2048,
         ConstrainedLeastSquares{.psf = soft, .border = Border::mirror});
  direct("constrained_least_squares, discrepancy, mirrored", 2048,
         ConstrainedLeastSquares{.psf = soft, .by = WeightBy::discrepancy, .border = Border::mirror});
  direct("landweber, gaussian, mirrored", 2048, Landweber{.psf = soft, .border = Border::mirror});
  direct("wiener, motion, mirrored", 2048, Wiener{.psf = motion, .ratio = 0.01F, .border = Border::mirror});
  direct("wiener, motion, tapered", 1024, Wiener{.psf = motion, .ratio = 0.01F, .border = Border::taper});
  direct("wiener, motion, wrapped", 1024, Wiener{.psf = motion, .ratio = 0.01F, .border = Border::wrap});
  iteration("richardson_lucy, gaussian, mirrored", 2048,
            RichardsonLucy{.psf = soft, .smoothness = 0.0F, .noise = 0.0F, .border = Border::mirror});
  iteration("richardson_lucy, motion, mirrored", 2048,
            RichardsonLucy{.psf = motion, .smoothness = 0.0F, .noise = 0.0F, .border = Border::mirror});
  iteration("richardson_lucy, motion, tapered", 1024,
            RichardsonLucy{.psf = motion, .smoothness = 0.0F, .noise = 0.0F, .border = Border::taper});
  iteration("total_variation_deconvolution, gaussian, mirrored", 2048,
            TotalVariationDeconvolution{.psf = soft, .weight = 0.003F, .tolerance = 1e-6F, .border = Border::mirror});
  direct("plug_and_play, gaussian, 24 rounds", 512, PlugAndPlay{.psf = soft, .noise = 0.01F});
  direct("plug_and_play, gaussian, wavelet_shrink", 512,
         PlugAndPlay{.psf = soft, .with = Chain{WaveletShrink{}}, .noise = 0.01F});
  direct("psf_by_spectrum", 1024, [](const ConstView& in, const View&) { (void)psf_by_spectrum(in); });
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
