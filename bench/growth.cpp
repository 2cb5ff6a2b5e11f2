// Draws how cost grows with pixels, radius, iterations and threads, in multiples of a copy: growth OUT.png

#include <algorithm>
#include <cstdio>
#include <fstream>
#include <numeric>

#include "measure.hpp"
#include "operations.hpp"
#include "sieve/draw.hpp"

using namespace sieve;
using namespace sieve::bench;

namespace {

// Medians of both in turns, as multiples of a copy of the picture.
double copies(const Image& in, const std::function<void()>& work, int passes = 5) {
  Image to(in.shape());
  std::vector<double> ours, copied;
  work();
  for (int i = 0; i < passes; ++i) {
    copied.push_back(seconds([&] { copy(in, to.view()); }));
    ours.push_back(seconds(work));
  }
  return median(ours) / median(copied);
}

template <class F>
std::function<void()> into(const Image& in, Image& out, F filter) {
  return [&in, &out, filter] { Engine::standard().run(filter, in, {.out = out}); };
}

// One curve: what `filter_of(x)` takes at every x.
template <class F>
draw::PlotCurve over(const char* name, const Image& in, const std::vector<double>& values, F filter_of) {
  Image out(in.shape());
  draw::PlotCurve c{name, values, {}, -1};
  for (const double v : values) c.y.push_back(copies(in, into(in, out, filter_of(static_cast<float>(v))), 3));
  std::printf("  %s\n", name);
  return c;
}

// Some of them, as many as a plot can tell apart.
std::vector<Growing> some(std::initializer_list<const char*> names) {
  std::vector<Growing> all = growing();
  std::erase_if(all, [&](const Growing& g) { return std::find(names.begin(), names.end(), g.name) == names.end(); });
  return all;
}

draw::SheetPanelPtr by_pixels() {
  std::vector<draw::PlotCurve> all;
  for (const Growing& g : some({"convolve, 7x7", "median, 7x7", "guided", "clahe", "low_pass, mirrored"})) {
    draw::PlotCurve c{g.name, {}, {}, -1};
    for (const auto& [w, h] : {std::pair{512, 512}, {1280, 720}, {1920, 1080}, {3840, 2160}, {7680, 4320}}) {
      const Image in = noise(w, h);
      const auto work = g.prepare(in);
      std::vector<double> times;
      for (int i = 0; i < 5; ++i) times.push_back(seconds(work));
      c.x.push_back(w * h / 1e6);
      c.y.push_back(1e9 * median(times) / (static_cast<double>(w) * h));
    }
    std::printf("  %s\n", g.name.c_str());
    all.push_back(std::move(c));
  }
  return draw::curves(all, "megapixels", "ns a pixel");
}

draw::SheetPanelPtr by_radius(const Image& in) {
  const std::vector<double> radii = {1, 2, 3, 5, 8, 12, 18, 25};
  return draw::curves(
      {over("median", in, radii, [](float r) { return Median{.radius = r}; }),
       over("opening", in, radii, [](float r) { return Opening{.radius = static_cast<int>(r)}; }),
       over("gaussian sigma", in, radii, [](float r) { return Gaussian{.sigma = r}; }),
       over("guided", in, radii, [](float r) { return Guided{.radius = static_cast<int>(r), .strength = 0.2F}; }),
       over("bilateral sigma, fast", in, radii,
            [](float r) { return Bilateral{.sigma = r, .range = 0.2F, .method = BilateralMethod::fast}; })},
      "radius or sigma, pixels", "copies");
}

draw::SheetPanelPtr by_iterations(const Image& in) {
  const std::vector<double> counts = {4, 8, 16, 32, 48};
  return draw::curves({over("total_variation", in, counts,
                            [](float n) {
                              return TotalVariation{
                                  .weight = 0.5F, .tolerance = 1e-6F, .iterations = static_cast<int>(n)};
                            }),
                       over("diffusion", in, counts,
                            [](float n) { return Diffusion{.iterations = static_cast<int>(n), .edge = 0.1F}; })},
                      "iterations", "copies");
}

draw::SheetPanelPtr by_threads(const Image& in) {
  std::vector<draw::PlotCurve> all;
  std::vector<double> counts(static_cast<std::size_t>(threads()));
  std::iota(counts.begin(), counts.end(), 1.0);
  for (const Growing& g :
       some({"copy", "convolve, 7x7", "median, 7x7", "low_pass, mirrored", "wavelet 9/7, five levels"})) {
    const auto work = g.prepare(in);
    draw::PlotCurve c{g.name, counts, {}, -1};
    std::vector<std::vector<double>> times(counts.size());
    for (int i = 0; i < 5; ++i) {
      for (std::size_t n = 0; n < counts.size(); ++n) {
        set_threads(static_cast<int>(n) + 1);
        times[n].push_back(seconds(work));
      }
    }
    set_threads(0);
    for (const auto& t : times) c.y.push_back(median(times[0]) / median(t));
    all.push_back(std::move(c));
  }
  return draw::curves(all, "threads", "times as fast as with one");
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) return std::fputs("growth OUT.png: draws how cost grows, in two to three minutes\n", stderr), 2;
  const Image in = noise(1920, 1080);
  draw::Sheet sheet(
      "How cost grows",
      "medians on this machine, copies of the same picture as the unit; 1920x1080 where pixels are not varied");
  sheet.add({"with pixels", by_pixels(), "flat: linear in the pixels", nullptr});
  sheet.add({"with radius", by_radius(in), "flat: the same at any radius", nullptr});
  sheet.add({"with iterations", by_iterations(in), "", nullptr});
  sheet.add({"with threads", by_threads(in), "", nullptr});
  const auto png = sheet.png();
  std::ofstream out(argv[1], std::ios::binary);
  out.write(reinterpret_cast<const char*>(png.data()), static_cast<std::streamsize>(png.size()));
  out.close();
  return out ? 0 : (std::fprintf(stderr, "growth: could not write %s\n", argv[1]), 1);
}
