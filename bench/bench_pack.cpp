// Packing and unpacking of a 3840x2160 color picture, and the decompositions of a 2048x2048 channel; megapixels a
// second, and for the randomized decomposition how many times faster than the exact one (measured once: it takes long).

#include "against_copy.hpp"
#include "scene.hpp"
#include "sieve/pack.hpp"

using namespace sieve;
using bench::scene;

namespace {

void megapixels(const char* name, const std::function<void()>& work) {
  benchmark::RegisterBenchmark(name,
                               [work](benchmark::State& state) {
                                 std::vector<double> times;
                                 for (auto _ : state) {
                                   times.push_back(bench::seconds(work));
                                   state.SetIterationTime(times.back());
                                 }
                                 state.counters["megapixels_per_second"] = 8.2944 / bench::median(times);
                               })
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond)
      ->MinTime(1);
}

}  // namespace

int main(int argc, char** argv) {
  for (const auto& [by, name] : {std::pair{PackBy::cosine, "cosine"}, {PackBy::wavelet, "wavelet"}}) {
    for (const double rate : {0.25, 1.0}) {
      const Packed p = pack(scene(), {.by = by, .rate = rate});
      // The quality that gives the same step.
      const double quality = 100 - 100 * std::sqrt(std::max(0.0, (static_cast<double>(p.step) * 255 - 0.5) / 255));
      megapixels(("pack, " + std::string(name) + ", " + std::to_string(rate).substr(0, 4) + " bits a pixel").c_str(),
                 [by = by, quality] { benchmark::DoNotOptimize(pack(scene(), {.by = by, .quality = quality})); });
      megapixels(("unpack, " + std::string(name) + ", " + std::to_string(rate).substr(0, 4) + " bits a pixel").c_str(),
                 [bytes = p.bytes] { benchmark::DoNotOptimize(unpack(bytes)); });
    }
  }
  megapixels("pack, without loss", [] { benchmark::DoNotOptimize(pack(scene(), {.lossless = true})); });
  benchmark::RegisterBenchmark(
      "svd, rank 100 of 2048x2048, randomized",
      [](benchmark::State& state) {
        const Image square = Gaussian{.sigma = 3}(bench::noise(2048, 2048));
        std::vector<double> times;
        for (auto _ : state) {
          times.push_back(bench::seconds([&] { benchmark::DoNotOptimize(svd(square, 100, SvdMethod::randomized)); }));
          state.SetIterationTime(times.back());
        }
        state.counters["exact_over_randomized"] =
            bench::seconds([&] { benchmark::DoNotOptimize(svd(square, 100, SvdMethod::exact)); }) /
            bench::median(times);
      })
      ->UseManualTime()
      ->Unit(benchmark::kMillisecond)
      ->Iterations(3);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
