// Impulses first, then grain, then sharpening: each with the filter that is made for it, and figures on the way.
// Usage: denoise_and_sharpen CLEAN.png OUT.png

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: denoise_and_sharpen CLEAN.png OUT.png");
  const sieve::Image clean = sieve::io::read(argv[1]).image;
  const sieve::Chain damage{sieve::GaussianNoise{.deviation = 0.06F, .seed = 5},
                            sieve::ImpulseNoise{.dark = 0.02F, .bright = 0.02F, .seed = 6}};
  const sieve::Image damaged = damage(clean);
  const auto tell = [&](const char* what, const sieve::Image& v) {
    std::cout << what << ": PSNR " << sieve::compare(v, clean).psnr << " dB\n";
  };
  tell("damaged", damaged);
  tell("Gaussian alone", sieve::Gaussian{.sigma = 1.2F}(damaged));

  const sieve::Image sorted = sieve::AdaptiveMedian{}(damaged);
  tell("impulses dropped", sorted);
  const sieve::Image smooth = sieve::NonlocalMeans{.search = 7}(sorted);
  tell("then non-local means", smooth);
  const sieve::Image grouped = sieve::BlockMatching{.effort = sieve::BlockEffort::fast}(sorted);
  tell("or block matching", grouped);
  // Grain that is alike in neighbors: its spectrum is measured where nothing is given.
  const sieve::Image coarse = sieve::GaussianNoise{.deviation = 0.06F, .sigma = 1}(clean);
  const sieve::BlockMatching white{.effort = sieve::BlockEffort::fast, .spectrum = sieve::NoiseSpectrum::white()};
  tell("coarse grain taken for white noise", white(coarse));
  tell("and with its spectrum", sieve::BlockMatching{.effort = sieve::BlockEffort::fast}(coarse));

  // Total variation tells how it got there.
  sieve::Image even(sorted.shape());
  sieve::TotalVariationReport report;
  sieve::TotalVariation{}.solve(sorted, even.view(), report);
  tell("or total variation", even);
  std::cout << report.iterations << " iterations, objective " << report.objective << '\n';

  // What a filter computes on the way can be had by name.
  for (const sieve::Stage& s : sieve::Filter(sieve::Unsharp{}).stages(smooth)) {
    std::cout << "unsharp, " << s.name << ": deviation " << sieve::statistics(s.image)[0].deviation << '\n';
  }
  std::cout << sieve::io::write(argv[2], sieve::BoundedUnsharp{.amount = 1}(smooth)).note;
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
