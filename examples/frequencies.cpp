// Stripes found and taken out, a transfer function of one's own, and the same picture as cosine and wavelet
// coefficients. Usage: frequencies STRIPED.png OUT.png

#include <cmath>
#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: frequencies STRIPED.png OUT.png");
  const sieve::Image striped = sieve::io::read(argv[1]).image;
  const sieve::Spectrum s = sieve::spectrum(striped, sieve::Taper::periodic);
  std::cout << "mean " << s.at(0, 0).real() << '\n';
  for (const sieve::PeriodicWave& w : sieve::find_periodic_noise(striped)) {
    std::cout << "wave of period " << w.period << " pixels at " << w.angle << " degrees, amplitude " << w.amplitude
              << '\n';
  }
  const sieve::Image calm = sieve::RemovePeriodicNoise{}(striped);
  std::cout << "waves left: " << sieve::find_periodic_noise(calm).size() << '\n';

  // Any function of the frequencies, in cycles per pixel: here fine detail across the picture goes, along it stays.
  const sieve::Image smooth =
      sieve::filter_frequencies(calm, [](double fx, double) { return std::exp(-fx * fx / 0.005); });
  std::cout << sieve::io::write(argv[2], smooth).note;

  // How much of the picture a few coefficients hold.
  for (const int side : {16, 64, 256}) {
    std::cout << side * side << " cosine coefficients: PSNR "
              << sieve::compare(sieve::CosineTruncation{.side = side}(calm), calm).psnr << " dB\n";
  }
  const sieve::WaveletBands bands = sieve::wavelet_forward(calm, sieve::Wavelet::nine_seven, 4);
  for (const sieve::BandEnergy& e : sieve::band_energies(bands))
    std::cout << e.name << ": " << 100 * e.share << " % of the energy\n";
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
