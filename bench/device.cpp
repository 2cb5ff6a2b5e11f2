// A device beside the processors, in one run: what the engine's kernels take against the library's own way on the same
// picture, a 7x7 convolution against the plain kernel that everybody writes first, and the bytes over the bus.

#include <fmt/format.h>

#include "measure.hpp"
#include "sieve/device.hpp"

namespace {

using namespace sieve;
using namespace sieve::bench;

// One item a pixel, everything from the device's memory: the window as a text of one's own, for the inside alone.
struct PlainSeven {
  std::vector<float> weights;
  static void describe(Description<PlainSeven>& d) {
    d.called("plain_seven", "bench", "A 7x7 window, one item a pixel.");
    d.window([](const PlainSeven&) { return 3; });
    d.on_device([](const PlainSeven& f) {
      return device::window(3,
                            "float sum = 0;\n"
                            "for (int j = -3; j <= 3; ++j)\n"
                            "  for (int i = -3; i <= 3; ++i) sum += n[(j + 3) * 7 + i + 3] * at(i, j);\n"
                            "return sum;",
                            f.weights);
    });
  }
  Image operator()(const ConstView& in) const {
    return Correlate{.kernel = Kernel(7, 7, {weights.begin(), weights.end()})}(in);
  }
};

struct Times {
  double kernels = 0, all = 0, processors = 0;
  DeviceFigures figures;
};

Times times_of(const Chain& chain, const Image& in, Engine& engine, int runs) {
  std::vector<double> kernels, all, processors;
  Times t;
  for (int i = 0; i <= runs; ++i) {
    const Run run = engine.run(chain, in);
    const double here = Engine::standard().run(chain, in).report.seconds;
    if (run.report.device.empty()) return t;
    t.figures = run.report.device[0];
    if (i == 0) continue;  // programs are built
    kernels.push_back(t.figures.seconds_kernels);
    all.push_back(run.report.seconds);
    processors.push_back(here);
  }
  t.kernels = median(kernels);
  t.all = median(all);
  t.processors = median(processors);
  return t;
}

}  // namespace

int main(int argc, char** argv) {
  const int runs = argc > 1 && std::string(argv[1]) == "--quick" ? 3 : 11;
  const auto all = device::list();
  if (all.empty()) {
    fmt::print("no device: no implementation of OpenCL is installed\n");
    return 0;
  }
  Engine engine{{.device = device::open()}};
  fmt::print("{} ({}); 3840x2160 gray, medians of {}; kernels against the processors' own way\n", all[0].name,
             all[0].kind, runs);
  std::vector<double> weights;
  for (int i = 0; i < 49; ++i) weights.push_back(1 + 0.01 * (i * i % 17));
  const std::pair<const char*, Chain> rows[] = {
      {"four points", Chain{Brightness{}, Contrast{}, Gain{}, Clip{}}},
      {"four curves", Chain{Gamma{}, Linearize{}, Logarithm{}, Encode{}}},
      {"convolve 3x3", Chain{Convolve{.kernel = Kernel(3, 3, {1, 2, 3, 4, 5, 6, 7, 8, 1})}}},
      {"convolve 7x7", Chain{Convolve{.kernel = Kernel(7, 7, weights)}}},
      {"gaussian sigma=2", Chain{Gaussian{.sigma = 2}}},
      {"box radius=3", Chain{Box{.radius = 3}}},
      {"gradient_magnitude", Chain{GradientMagnitude{}}},
      {"median 3x3", Chain{Median{}}},
      {"median 5x5", Chain{Median{.radius = 2}}},
      {"median 7x7", Chain{Median{.radius = 3}}},
      {"opening radius=3", Chain{Opening{.radius = 3}}},
      {"unsharp", Chain{Unsharp{}}},
      {"bounded_unsharp", Chain{BoundedUnsharp{}}},
      {"bilateral", Chain{Bilateral{.range = 0.1F}}},
      {"guided", Chain{Guided{.strength = 0.1F}}},
      {"cosine_truncation 8x8", Chain{CosineTruncation{.side = 3, .block = 8}}},
      {"equalize", Chain{Equalize{}}},
      {"wavelet_shrink 9/7", Chain{WaveletShrink{.wavelet = Wavelet::nine_seven,
                                                 .levels = 4,
                                                 .rule = ThresholdRule::bayes,
                                                 .undecimated = false,
                                                 .noise = 0.1F}}},
      {"total_variation, 32 its", Chain{TotalVariation{.weight = 0.1F, .tolerance = 1e-6F, .iterations = 32}}},
      {"four points, gaussian", Chain{Brightness{}, Contrast{}, Gain{}, Clip{}, Gaussian{.sigma = 2}}}};
  fmt::print("{:26}{:>10}{:>12}{:>8}{:>10}{:>9}{:>9}\n", "", "kernels", "processors", "times", "in all", "launched",
             "MB moved");
  for (const auto& [name, chain] : rows) {
    const Times t = times_of(chain, large(), engine, runs);
    fmt::print("{:26}{:>7.1f} ms{:>9.1f} ms{:>8.1f}{:>7.1f} ms{:>9}{:>9.1f}\n", name, 1e3 * t.kernels,
               1e3 * t.processors, t.kernels / t.processors, 1e3 * t.all, t.figures.kernels,
               static_cast<double>(t.figures.bytes_up + t.figures.bytes_down) * 1e-6);
  }
  const Times plain = times_of(Chain{PlainSeven{{weights.begin(), weights.end()}}}, large(), engine, runs),
              ours = times_of(Chain{Correlate{.kernel = Kernel(7, 7, weights)}}, large(), engine, runs);
  fmt::print("7x7, one item a pixel from the device's memory: {:.1f} ms, {:.1f} times ours\n", 1e3 * plain.kernels,
             plain.kernels / ours.kernels);
  return 0;
}
