// Filters that sort: every window, border and size against plain sorting; what a median must do.

#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

Image hostile(int w, int h, int channels) {
  Image in = noise(w, h, channels);
  in.at(w / 2, h / 2) = std::nanf("");
  in.at(0, 0) = std::numeric_limits<float>::infinity();
  in.at(w - 1, h - 1) = -std::numeric_limits<float>::infinity();
  return in;
}

}  // namespace

TEST_CASE("medians and percentiles are exact: every way, window, border, size and kind of data") {
  for (const Shape shape : {Shape{1, 1, 1}, {50, 39, 3}, {200, 7, 2}, {3, 150, 1}, {300, 140, 1}}) {
    const Image in = hostile(shape.width, shape.height, shape.channels);
    for (const char* text : {"median radius=0",
                             "median",
                             "median radius=2",
                             "median radius=3",
                             "median radius=4",
                             "median radius=9",
                             "median radius=2.5 shape=disk",
                             "median radius=3 shape=cross",
                             "median footprint=1,0,1/0,1,0/1,0,1",
                             "median footprint=0,0,1",
                             "percentile radius=2 share=0",
                             "percentile share=0.9",
                             "percentile radius=5 share=0.3",
                             "percentile radius=4.3 shape=disk share=1",
                             "minimum radius=2.9 shape=disk",
                             "maximum radius=4 shape=cross",
                             "minimum footprint=1,1,0,0,0/0,0,0,1,1/0,0,0,0,1",
                             "midpoint radius=2",
                             "midpoint radius=1.5 shape=disk",
                             "adaptive_median least=0",
                             "adaptive_median radius=5",
                             "weighted_median",
                             "weighted_median weights=0,1,0/2,0.5,2/0,1,0",
                             "alpha_trimmed_mean radius=2 share=0.5"}) {
      if (shape.width == 300 && std::string(text).find("radius=4") == std::string::npos) continue;
      CAPTURE(std::string(text));
      CAPTURE(shape.width);
      const Filter f = Chain::parse(text).steps()[0];
      test::check_as_defined(f, in);
    }
  }
  const Image in = hostile(64, 33, 1);
  for (const Border border : test::all_borders) {
    if (border == Border::inside) {
      CHECK_THROWS_AS((Median{.border = border}(in)), InvalidArgument);
      continue;
    }
    for (const float radius : {1.0F, 3.0F, 6.0F})
      CHECK(deviation(Median{.radius = radius, .border = border, .fill = 0.4F}(in),
                      reference::plain(Median{.radius = radius, .border = border, .fill = 0.4F}, in)) == 0);
    const Median disk{.radius = 3.3F, .shape = WindowShape::disk, .border = border, .fill = 0.4F};
    test::check_as_defined(disk, in);
  }
  // Few levels, huge and tiny numbers, zeros of both signs, all equal.
  for (const int kind : {0, 1, 2, 3}) {
    const Image odd = map_samples(noise(150, 140), [kind](float v) {
      return kind == 0   ? std::floor(3 * v)
             : kind == 1 ? (v - 0.5F) * 1e30F
             : kind == 2 ? (v > 0.5F ? 0.0F : -0.0F)
                         : 0.25F;
    });
    CAPTURE(kind);
    for (const float radius : {2.0F, 5.0F, 20.0F}) test::check_as_defined(Median{.radius = radius}, odd);
  }
  // The largest window.
  test::check_as_defined(Median{.radius = 127}, hostile(24, 16, 1));
  test::check_as_defined(Percentile{.radius = 127, .share = 0.9F}, hostile(16, 24, 1));
}

TEST_CASE(
    "a median drops impulses, keeps edges in place, commutes with rising curves, and does not depend on threads") {
  Image step(60, 40);
  for (int y = 0; y < 40; ++y) {
    for (int x = 30; x < 60; ++x) step.at(x, y) = 1;
  }
  for (const float radius : {1.0F, 2.0F, 3.0F, 7.0F}) CHECK(identical(Median{.radius = radius}(step), step));
  Image spots = step;
  spots.at(10, 10) = 5;
  spots.at(45, 20) = -3;
  CHECK(identical(Median{}(spots), step));
  CHECK(identical(AdaptiveMedian{}(spots), step));
  const Image in = noise(130, 90);
  const auto curve = [](const Image& v) { return map_samples(v, [](float s) { return s * s * s + 2 * s; }); };
  for (const float radius : {1.0F, 2.0F, 3.0F, 5.0F})
    CHECK(identical(Median{.radius = radius}(curve(in)), curve(Median{.radius = radius}(in))));
  const Image many = Median{.radius = 6}(in), disk = Median{.radius = 4, .shape = WindowShape::disk}(in);
  set_threads(1);
  CHECK(identical(Median{.radius = 6}(in), many));
  CHECK(identical(Median{.radius = 4, .shape = WindowShape::disk}(in), disk));
  set_threads(0);
  // Good pixels stay: an adaptive median changes only what stands out.
  const Image smooth = Gaussian{.sigma = 3}(in), damaged = ImpulseNoise{.dark = 0.1F, .bright = 0.1F}(smooth);
  const Image mended = AdaptiveMedian{}(damaged);
  int touched = 0;
  for (int i = 0; i < 130 * 90; ++i) {
    const int x = i % 130, y = i / 130;
    touched += damaged.at(x, y) == smooth.at(x, y) && mended.at(x, y) != smooth.at(x, y);
  }
  CHECK(touched < 20);
  CHECK(compare(mended, smooth).psnr > compare(damaged, smooth).psnr + 20);
}

TEST_CASE("footprints: text, shapes, and what is refused") {
  CHECK(window_offsets("t", WindowShape::disk, 1.5F, {}).size() == 9);
  CHECK(window_offsets("t", WindowShape::disk, 2.0F, {}).size() == 13);
  CHECK(window_offsets("t", WindowShape::cross, 2, {}).size() == 9);
  CHECK(Footprint::parse("010\n111\n010\n").text() == "0,1,0/1,1,1/0,1,0");
  CHECK(Filter(Median{.radius = 2.5F, .shape = WindowShape::disk}).meaning() == "window of 21 pixels in 5x5");
  CHECK(Filter(Median{.footprint = Footprint::parse("1,0,0,0,0")}).reach().value() == 2);
  for (const char* wrong : {"", "0,0,0", "1,1", "1,1,1/1,1", "1,2,1", "1,0,1/1,1,1"}) {
    CAPTURE(std::string(wrong));
    CHECK_THROWS_AS(Footprint::parse(wrong), InvalidArgument);
  }
  CHECK_THROWS_AS((Median{.radius = 1.5F}(noise(5, 5))), InvalidArgument);
  CHECK_THROWS_AS((Median{.radius = 128}(noise(5, 5))), InvalidArgument);
  CHECK_THROWS_AS((WeightedMedian{.weights = Kernel::parse("1,-1,1")}(noise(5, 5))), InvalidArgument);
  CHECK_THROWS_AS((WeightedMedian{.weights = Kernel::parse("0,0,0")}(noise(5, 5))), InvalidArgument);
}

TEST_CASE("the adaptive median: impulses go, all else stays to the bit, the denser the impulses the wider it looks") {
  const Image clean =
      map_samples(Gaussian{.sigma = 1.5F}(noise(160, 120)), [](float v) { return std::clamp(v, 0.05F, 0.95F); });
  for (const float share : {0.02F, 0.1F, 0.3F, 0.6F}) {
    CAPTURE(share);
    const Image damaged = ImpulseNoise{.dark = share / 2, .bright = share / 2, .seed = 3}(clean);
    const Image out = AdaptiveMedian{.radius = 7, .least = 0}(damaged);
    int left = 0, changed = 0;
    double worst = 0;
    for (int y = 0; y < 120; ++y) {
      for (int x = 0; x < 160; ++x) {
        const bool hit = damaged.at(x, y) != clean.at(x, y);
        left += hit && out.at(x, y) == damaged.at(x, y);
        changed += !hit && out.at(x, y) != clean.at(x, y);
        worst = std::max(worst, std::abs(static_cast<double>(out.at(x, y)) - static_cast<double>(clean.at(x, y))));
      }
    }
    // Where most samples are impulses, the median may be one itself.
    CHECK(left <= (share < 0.5F ? 0 : 3));
    // With few impulses some windows hold none of a kind: there the lowest or highest sample is taken for one.
    CHECK(changed <= (share < 0.05F ? 300 : 5));
    CHECK(worst < 0.6);
    CHECK(compare(out, clean).psnr > (share < 0.5F ? 35 : 28));
  }
  // What lies within `least` of the median is left alone, also where it is an extreme.
  Image dots = map_samples(noise(40, 30), [](float) { return 0.5F; });
  dots.at(10, 10) = 0.58F;
  dots.at(20, 10) = 0.75F;
  const Image out = AdaptiveMedian{.least = 0.1F}(dots);
  CHECK(out.at(10, 10) == 0.58F);
  CHECK(out.at(20, 10) == 0.5F);
  // Areas of black and white keep their outline; at the picture's border the repeated samples may tip the balance.
  Image halves(50, 40);
  for (int y = 0; y < 40; ++y) {
    for (int x = 0; x < 50; ++x) halves.at(x, y) = x + y < 45 ? 0.0F : 1.0F;
  }
  CHECK(identical(AdaptiveMedian{}(halves).view().part({6, 6, 38, 28}), halves.view().part({6, 6, 38, 28})));
  for (const Border border : test::all_borders) {
    if (border == Border::inside) continue;
    const AdaptiveMedian f{.radius = 3, .border = border, .fill = 0.4F};
    const Image in = hostile(41, 23, 2);
    test::check_as_defined(f, in);
  }
}
