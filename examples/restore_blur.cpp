// A picture blurred by a known point spread function, with a little noise: what can be undone, and by what.
// Usage: restore_blur CLEAN.png OUT.png

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: restore_blur CLEAN.png OUT.png");
  const sieve::Image clean = sieve::io::read(argv[1]).image;
  const sieve::Kernel psf = sieve::Kernel::disk(3);
  const sieve::Chain damage{sieve::Blur{.psf = psf, .border = sieve::Border::mirror},
                            sieve::GaussianNoise{.deviation = 0.01F, .seed = 9}};
  const sieve::Image blurred = damage(clean);

  // Before anything is divided.
  const sieve::Invertibility d = sieve::invertibility(psf, clean.width(), clean.height());
  std::cout << sieve::name_of(d.verdict) << ": " << d.reason << '\n';

  // Filters tell what they found.
  sieve::Watch watch;
  watch.on_note = [](const std::string& line) { std::cout << "note: " << line << '\n'; };
  const sieve::Watch::Active active(watch);
  const auto tell = [&](const char* what, const sieve::Image& v) {
    std::cout << what << ": PSNR " << sieve::compare(v, clean).psnr << " dB\n";
  };
  tell("blurred", blurred);
  tell("inverse", sieve::Inverse{.psf = psf, .force = true}(blurred));
  tell("pseudo_inverse", sieve::PseudoInverse{.psf = psf, .threshold = 0.1F}(blurred));
  const sieve::Image best = sieve::Wiener{.psf = psf}(blurred);
  tell("wiener", best);
  tell("constrained_least_squares", sieve::ConstrainedLeastSquares{.psf = psf}(blurred));
  tell("richardson_lucy", sieve::RichardsonLucy{.psf = psf, .iterations = 20, .smoothness = 0.003F}(blurred));
  tell("total_variation_deconvolution", sieve::TotalVariationDeconvolution{.psf = psf, .iterations = 40}(blurred));
  // With any denoiser as the idea of a picture, or several after each other.
  tell("plug_and_play", sieve::PlugAndPlay{.psf = psf}(blurred));
  const sieve::Chain denoisers{sieve::WaveletShrink{}};
  tell("plug_and_play, wavelets", sieve::PlugAndPlay{.psf = psf, .with = denoisers, .rounds = 12}(blurred));
  // And where the blur is not known: a Gaussian that makes the edges as wide, with how sure that is.
  const sieve::FoundPsf found = sieve::psf_blind(blurred);
  std::cout << "blind: " << found.psf.text() << ", confidence " << found.confidence << '\n';
  // Or any weights, for shakes that no name describes.
  const sieve::FoundPsf any = sieve::psf_free(blurred, 9);
  std::cout << "free: " << any.psf.width() << "x" << any.psf.height() << " weights, confidence " << any.confidence
            << '\n';
  std::cout << sieve::io::write(argv[2], best).note;
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
