// Point operations and statistics against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

int main(int argc, char** argv) {
  using bench::against_copy;
  against_copy("clip", Clip{});
  against_copy("stretch, range given", Stretch{.low = 0.1F, .high = 0.9F});
  against_copy("stretch, range measured", Stretch{});
  against_copy("stretch, 1 percent off", Stretch{.percent = 1});
  against_copy("absolute", Absolute{});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
