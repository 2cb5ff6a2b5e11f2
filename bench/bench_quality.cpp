// Quality figures and damage against a parallel copy of the same picture.

#include "against_copy.hpp"

using namespace sieve;

int main(int argc, char** argv) {
  benchmark::RegisterBenchmark("ssim of a 12-megapixel pair",
                               [](benchmark::State& state) {
                                 const Image a = bench::noise(4000, 3000), b = Gaussian{.sigma = 1}(a);
                                 Image copied(a.shape());
                                 std::vector<double> work, copies;
                                 double sum = 0;
                                 for (auto _ : state) {
                                   copies.push_back(bench::seconds([&] { copy(a, copied.view()); }));
                                   work.push_back(bench::seconds([&] { sum += ssim(a, b); }));
                                   state.SetIterationTime(work.back());
                                 }
                                 state.counters["x_copy"] = bench::median(work) / bench::median(copies);
                                 benchmark::DoNotOptimize(sum);
                               })
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond);
  bench::against_copy("gaussian_noise", GaussianNoise{});
  bench::against_copy("impulse_noise", ImpulseNoise{});
  bench::against_copy("poisson_noise", PoissonNoise{});
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
