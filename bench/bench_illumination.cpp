// Minima, openings and corrections of the light against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

int main(int argc, char** argv) {
  using bench::against_copy;
  for (const int radius : {1, 10, 100, 1000}) {
    against_copy(("minimum, radius " + std::to_string(radius)).c_str(), Minimum{.radius = static_cast<float>(radius)});
    against_copy(("opening, radius " + std::to_string(radius)).c_str(), Opening{.radius = radius});
  }
  against_copy("flat_field", FlatField{.with = SharedImage(bench::noise(3840, 2160))});
  against_copy("flatten, Gaussian", Flatten{});
  against_copy("flatten, opening", Flatten{.by = BackgroundBy::opening});
  against_copy("flatten, polynomial", Flatten{.by = BackgroundBy::polynomial});
  against_copy("homomorphic", Homomorphic{});
  against_copy("retinex, three scales", Retinex{});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
