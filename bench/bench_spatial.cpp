// Convolution, smoothing, gradients and frame against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

namespace {
// A kernel without structure: not separable.
Kernel rough(int side) {
  std::vector<double> taps;
  const RandomStream random(3);
  for (int i = 0; i < side * side; ++i) taps.push_back(random.uniform(static_cast<std::uint64_t>(i)) / (side * side));
  return Kernel(side, side, taps);
}
}  // namespace

int main(int argc, char** argv) {
  using bench::against_copy;
  against_copy("convolve 3x3 general", Convolve{.kernel = rough(3), .method = ConvolutionMethod::direct});
  against_copy("convolve 5x5 general", Convolve{.kernel = rough(5), .method = ConvolutionMethod::direct});
  against_copy("convolve 7x7 general", Convolve{.kernel = rough(7), .method = ConvolutionMethod::direct});
  against_copy("convolve 7x7 stride 2", Convolve{.kernel = rough(7), .stride = 2, .method = ConvolutionMethod::direct});
  against_copy("convolve 15x15 direct", Convolve{.kernel = rough(15), .method = ConvolutionMethod::direct});
  against_copy("convolve 15x15 fourier", Convolve{.kernel = rough(15), .method = ConvolutionMethod::fourier});
  against_copy("convolve 31x31 fourier", Convolve{.kernel = rough(31), .method = ConvolutionMethod::fourier});
  against_copy("convolve 63x63 fourier", Convolve{.kernel = rough(63), .method = ConvolutionMethod::fourier});
  against_copy("convolve 15x15 separable",
               Convolve{.kernel = Kernel::gaussian(2, 15), .method = ConvolutionMethod::separable});
  against_copy("gaussian sigma 1", Gaussian{.sigma = 1});
  against_copy("gaussian sigma 2", Gaussian{.sigma = 2});
  against_copy("gaussian sigma 3.9", Gaussian{.sigma = 3.9F});
  against_copy("gaussian sigma 4", Gaussian{.sigma = 4});
  against_copy("gaussian sigma 8", Gaussian{.sigma = 8});
  against_copy("gaussian sigma 20", Gaussian{.sigma = 20});
  against_copy("gaussian sigma 100", Gaussian{.sigma = 100});
  against_copy("box radius 1", Box{.radius = 1});
  against_copy("box radius 10", Box{.radius = 10});
  against_copy("box radius 100", Box{.radius = 100});
  against_copy("box radius 1000", Box{.radius = 1000});
  against_copy("gradient_magnitude", GradientMagnitude{});
  against_copy("gradient_direction", GradientDirection{});
  against_copy("shrink factor 3", Shrink{.factor = 3});
  against_copy("pad 64", Pad{.left = 64, .right = 64, .top = 64, .bottom = 64});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
