// Rank filters, denoisers and sharpening against a parallel copy of the same 3840x2160 picture.

#include "against_copy.hpp"

using namespace sieve;

namespace {

// A view with grain, not noise alone: iterative filters need as many iterations as they do in practice.
const Image& grainy() {
  static const Image image = GaussianNoise{.deviation = 0.1F}(
      Gaussian{.sigma = 12}(map_samples(bench::large(), [](float v) { return 6 * v - 2.5F; })));
  return image;
}

}  // namespace

int main(int argc, char** argv) {
  using bench::against_copy;
  for (const float radius : {1.0F, 2.0F, 3.0F, 4.0F, 10.0F, 25.0F, 100.0F})
    against_copy(("median, radius " + std::to_string(static_cast<int>(radius))).c_str(), Median{.radius = radius});
  against_copy("median, disk of radius 5", Median{.radius = 5, .shape = WindowShape::disk});
  against_copy("adaptive_median", AdaptiveMedian{});
  against_copy("unsharp", Unsharp{});
  against_copy("bounded_unsharp", BoundedUnsharp{});
  bench::against_copy_of(grainy, "guided", Guided{.strength = 0.2F});
  bench::against_copy_of(grainy, "bilateral, exact, sigma 2", Bilateral{.range = 0.2F});
  bench::against_copy_of(grainy, "bilateral, fast, sigma 6", Bilateral{.sigma = 6, .range = 0.2F});
  bench::against_copy_of(grainy, "adaptive_wiener", AdaptiveWiener{.noise = 0.1F});
  bench::against_copy_of(grainy, "diffusion", Diffusion{.edge = 0.2F});
  bench::against_copy_of(grainy, "total_variation to 0.1 %", TotalVariation{.weight = 0.1F});
  bench::against_copy_of(grainy, "nonlocal_means, 7x7 in 21x21", NonlocalMeans{.strength = 0.5F, .noise = 0.1F});
  bench::against_copy_of(grainy, "block_matching, fast", BlockMatching{.noise = 0.1F, .effort = BlockEffort::fast});
  bench::against_copy_of(grainy, "block_matching", BlockMatching{.noise = 0.1F});
  bench::against_copy_of(grainy, "block_matching, singular, fast",
                         BlockMatching{.noise = 0.1F, .by = BlockTransform::singular, .effort = BlockEffort::fast});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
