// Minima, openings and corrections of the light against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

int main(int argc, char** argv) {
  using bench::against_copy;
  for (const int radius : {1, 10, 100, 1000}) {
    against_copy(("minimum, radius " + std::to_string(radius)).c_str(), Minimum{.radius = static_cast<float>(radius)});
    against_copy(("opening, radius " + std::to_string(radius)).c_str(), Opening{.radius = radius});
  }
  for (const float radius : {1.0F, 2.0F, 3.0F, 4.0F, 10.0F, 25.0F, 100.0F}) against_copy(("median, radius " + std::to_string(static_cast<int>(radius))).c_str(), Median{.radius = radius});
  against_copy("median, disk of radius 5", Median{.radius = 5, .shape = WindowShape::disk});
  against_copy("adaptive_median", AdaptiveMedian{});
  against_copy("flat_field", FlatField{.with = Picture(bench::noise(3840, 2160))});
  against_copy("flatten, Gaussian", Flatten{});
  against_copy("flatten, opening", Flatten{.by = BackgroundBy::opening});
  against_copy("flatten, polynomial", Flatten{.by = BackgroundBy::polynomial});
  against_copy("homomorphic", Homomorphic{});
  against_copy("retinex, three scales", Retinex{});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
