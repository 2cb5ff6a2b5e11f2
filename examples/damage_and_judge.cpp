// The experiment of every day: a clean picture, damage with a seed, two candidates, and figures against the truth.
// Usage: damage_and_judge CLEAN.png OUT.png

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: damage_and_judge CLEAN.png OUT.png");
  const sieve::Image truth = sieve::io::read(argv[1]).image;
  const sieve::Chain damage{sieve::Blur{.psf = sieve::Kernel::disk(1.5)},
                            sieve::GaussianNoise{.deviation = 0.05F, .seed = 11}};
  const sieve::Image damaged = damage(truth);
  std::cout << "damaged: PSNR " << sieve::compare(damaged, truth).psnr << " dB, noise level "
            << sieve::noise_level(damaged) << '\n';

  for (const sieve::Filter& candidate :
       {sieve::Filter(sieve::Gaussian{.sigma = 1}), sieve::Filter(sieve::Box{.radius = 1})}) {
    const sieve::Comparison q = sieve::compare(candidate(damaged), truth);
    std::cout << candidate.text() << ": PSNR " << q.psnr << " dB, SSIM " << q.ssim << ", worst by "
              << q.maximum_deviation << " at " << q.x << ',' << q.y << '\n';
  }
  // What was done goes with the picture.
  sieve::io::WriteOptions options;
  options.record = sieve::record_of(damage);
  std::cout << sieve::io::write(argv[2], damaged, options).note;
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
