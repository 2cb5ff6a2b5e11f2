// Packing and unpacking of a 3840x2160 color picture, and the decompositions of a 2048x2048 channel; megapixels a second, and
// for the randomized decomposition how many times faster than the exact one (measured once: it takes long).

#include "against_copy.hpp"
#include "sieve/pack.hpp"

using namespace sieve;

namespace {

// Smooth shapes, edges and grain, on whole levels: something like a picture.
const Image& scene() {
  static const Image image = [] {
    Image out(Shape{3840, 2160, 3}, 255);
    const Image grain = bench::noise(3840, 2160);
    for (int c = 0; c < 3; ++c) {
      for (int y = 0; y < 2160; ++y) {
        for (int x = 0; x < 3840; ++x) {
          const double slope = 0.3 + 0.2 * std::sin(x / 170.0 + c) * std::cos(y / 130.0), disk = std::hypot(x % 480 - 240, y % 360 - 180) < 100 + 20 * c ? 0.2 : 0;
          const double fine = x / 960 % 2 == 0 ? 0.04 * std::sin(x * 0.9) * std::sin(y * 0.7) : 0;
          out.at(x, y, c) = static_cast<float>(std::round(255 * (slope + disk + fine + 0.03 * (static_cast<double>(grain.at(x, y)) - 0.5))) / 255);
        }
      }
    }
    return out;
  }();
  return image;
}

void megapixels(const char* name, const std::function<void()>& work) {
  benchmark::RegisterBenchmark(name, [work](benchmark::State& state) {
    std::vector<double> times;
    for (auto _ : state) {
      times.push_back(bench::seconds(work));
      state.SetIterationTime(times.back());
    }
    state.counters["megapixels_per_second"] = 8.2944 / bench::median(times);
  })->UseManualTime()->Unit(benchmark::kMillisecond)->MinTime(1);
}

}  // namespace

int main(int argc, char** argv) {
  for (const auto& [by, name] : {std::pair{PackBy::cosine, "cosine"}, {PackBy::wavelet, "wavelet"}}) {
    for (const double rate : {0.25, 1.0}) {
      const Packed p = pack(scene(), {.by = by, .rate = rate});
      // The quality that gives the same step.
      const double quality = 100 - 100 * std::sqrt(std::max(0.0, (static_cast<double>(p.step) * 255 - 0.5) / 255));
      megapixels(("pack, " + std::string(name) + ", " + std::to_string(rate).substr(0, 4) + " bits a pixel").c_str(), [by, quality] { benchmark::DoNotOptimize(pack(scene(), {.by = by, .quality = quality})); });
      megapixels(("unpack, " + std::string(name) + ", " + std::to_string(rate).substr(0, 4) + " bits a pixel").c_str(), [bytes = p.bytes] { benchmark::DoNotOptimize(unpack(bytes)); });
    }
  }
  megapixels("pack, without loss", [] { benchmark::DoNotOptimize(pack(scene(), {.lossless = true})); });
  benchmark::RegisterBenchmark("svd, rank 100 of 2048x2048, randomized", [](benchmark::State& state) {
    const Image square = Gaussian{.sigma = 3}(bench::noise(2048, 2048));
    std::vector<double> times;
    for (auto _ : state) {
      times.push_back(bench::seconds([&] { benchmark::DoNotOptimize(svd(square, 100, SvdWay::randomized)); }));
      state.SetIterationTime(times.back());
    }
    state.counters["exact_over_randomized"] = bench::seconds([&] { benchmark::DoNotOptimize(svd(square, 100, SvdWay::exact)); }) / bench::median(times);
  })->UseManualTime()->Unit(benchmark::kMillisecond)->Iterations(3);
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
}
