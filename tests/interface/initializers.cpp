// Natural initializers: variables of any arithmetic type for every parameter that is a number. Compiled with warnings
// as errors by every compiler that is there; see run.cmake.

#include "sieve/sieve.hpp"

sieve::Chain with(int whole, float single, double real, unsigned count) {
  using namespace sieve;
  return {
      Gaussian{.sigma = whole},
      Gaussian{.sigma = single, .border = Border::constant, .fill = real},
      Gaussian{.sigma = real},
      Gaussian{.sigma = 0.1},
      Box{.radius = whole},
      Box{.radius = single},
      Median{.radius = whole},
      Median{.radius = real, .shape = WindowShape::disk},
      Opening{.radius = count},
      DiskMean{.radius = whole},
      AdaptiveWiener{.radius = real, .noise = real},
      NonlocalMeans{.strength = single, .noise = single},
      Guided{.radius = whole, .strength = whole},
      Convolve{.kernel = Kernel::gaussian(real)},
      Convolve{.kernel = Kernel::gaussian(single), .fill = whole},
      Stretch{.low = real, .high = single, .to_low = whole, .percent = 0.1},
      Gamma{.exponent = real},
      Clip{.low = whole, .high = 0.9},
      Contrast{.factor = 1.3, .pivot = single},
      LowPass{.cutoff = 0.05},
      Wiener{.psf = Kernel::disk(single), .ratio = real},
      Unsharp{.sigma = whole, .amount = real},
      GaussianNoise{.deviation = 25.0 / 255, .seed = whole},
      PoissonNoise{.photons = whole, .seed = count},
      Within{.part = Rectangle{1, 2, 3, 4}, .chain = {Invert{}}},
  };
}
