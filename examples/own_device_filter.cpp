// A filter of one's own with a form for a device, held against its form for processors; run without a picture, it makes
// one up.

#include <cmath>
#include <cstdio>
#include <string>

#include "sieve/device.hpp"
#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

// The sample less the mean of its neighbors above and below, times a number: brings out lines that lie level.
struct LevelLines {
  float strength = 2;
  sieve::Border border = sieve::Border::edge;
  static void describe(sieve::Description<LevelLines>& d) {
    d.called("level_lines", "mine", "Brings out what differs from the rows above and below.").float_result();
    // In C++, for processors.
    d.maps_windows<1>(&LevelLines::border, [](const LevelLines& f) {
      return [k = f.strength](const auto& w) { return (w(0, 0) - 0.5F * (w(0, -1) + w(0, 1))) * k; };
    });
    // The same as text, for a device.
    d.on_device([](const LevelLines& f) {
      return sieve::device::window(1, "return (at(0, 0) - 0.5f * (at(0, -1) + at(0, 1))) * n[0];", {f.strength});
    });
    d.field("strength", &LevelLines::strength, "", "what the difference is multiplied by", {-100, 100});
  }
};

int main(int argc, char** argv) try {
  const auto devices = sieve::device::list();
  if (devices.empty()) {
    std::puts("no device: no implementation of OpenCL is installed");
    return 0;
  }
  sieve::Image in(640, 480);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) in.at(x, y) = 0.5F + 0.4F * std::sin(0.05F * static_cast<float>(x + y));
  }
  if (argc > 1) in = sieve::io::read(argv[1]).image;

  sieve::Engine engine{{.device = sieve::device::open()}};
  const sieve::Chain chain{LevelLines{}, sieve::Gaussian{.sigma = 2}, sieve::Absolute{}};
  const sieve::Run there = engine.run(chain, in);
  const sieve::Image here = chain(in);

  const sieve::DeviceFigures& f = there.report.device.at(0);
  std::printf("%s: %d upload, %d kernels, %d download, %.1f MB moved\n", devices[0].name.c_str(), f.uploads, f.kernels,
              f.downloads, static_cast<double>(f.bytes_up + f.bytes_down) * 1e-6);
  const double apart = std::sqrt(sieve::compare(there.image, here).mse);
  std::printf("root mean square of the difference from the processors: %.1e\n", apart);
  return apart < 1e-6 ? 0 : 1;
} catch (const std::exception& e) {
  std::fprintf(stderr, "%s\n", e.what());
  return 1;
}
