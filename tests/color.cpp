// Curves, thresholds, color conversions, exposure and white balance.

#include <nlohmann/json.hpp>

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

TEST_CASE("curves against their formulas, turned about the origin below 0, NaN and infinity where they were") {
  Image in = noise(59, 31, 2);
  in.at(1, 1) = std::nanf("");
  in.at(2, 1) = std::numeric_limits<float>::infinity();
  in.at(3, 1) = 0;
  for (const char* text : {"gamma exponent=0.4", "gamma exponent=2.2", "logarithm strength=500",
                           "logarithm strength=0.01", "sigmoid steepness=12 center=0.3", "sigmoid steepness=0.02",
                           "curve points=0,0/0.2,0.5/0.6,0.55/1,1", "curve points=0,1/1,0", "brightness amount=-0.3",
                           "contrast factor=2 pivot=0.3", "invert", "solarize level=0.4", "linearize", "encode"}) {
    CAPTURE(std::string(text));
    const Filter f = Chain::parse(text).steps()[0];
    const Image out = f(in);
    CHECK(std::isnan(out.at(1, 1)));
    Image finite = in;
    finite.at(2, 1) = 0.5F;
    test::check_as_defined(f, finite);
    CHECK(identical(out.view().channel(1), in.view().channel(1)));
  }
  CHECK(Gamma{.exponent = 0.5F}(in).at(3, 1) == 0);
  CHECK(std::isinf(Linearize{}(in).at(2, 1)));
  CHECK(deviation(Encode{}(Linearize{}(in)), in) < 1e-6);
  CHECK(deviation(Gamma{.exponent = 2}(Gamma{.exponent = 0.5F}(in)), in) < 1e-6);
  Image ends(2, 1);
  ends.at(1, 0) = 1;
  for (const char* text : {"gamma", "logarithm", "sigmoid", "linearize", "encode", "curve"})
    CHECK(deviation(Chain::parse(text)(ends), ends) < 1e-6);
  // Known values of the sRGB curve.
  Image half(1, 1);
  half.at(0, 0) = 0.5F;
  CHECK(Linearize{}(half).at(0, 0) == doctest::Approx(0.214041).epsilon(1e-5));
}

TEST_CASE("a curve goes through its points, stays monotone between them, and goes on straight; nonsense is refused") {
  const CurvePoints c = CurvePoints::parse("0,0/0.1,0.4/0.5,0.45/1,1");
  for (const auto& [x, y] : {std::pair{0.0, 0.0}, {0.1, 0.4}, {0.5, 0.45}, {1.0, 1.0}})
    CHECK(c(x) == doctest::Approx(y));
  for (double v = -0.5; v < 1.5; v += 0.001) CHECK(c(v + 0.001) > c(v));
  CHECK(c(2) - c(1.5) == doctest::Approx(c(3) - c(2.5)));
  CHECK(CurvePoints::parse("0.2,0.1\n0.9,0.8 # end\n").text() == "0.2,0.1/0.9,0.8");
  for (const char* wrong : {"", "0,0", "0,0/0,1", "1,0/0,1", "a,b/1,1", "0,0/1", "0,0/1,inf"}) {
    CAPTURE(wrong);
    CHECK_THROWS_AS(CurvePoints::parse(wrong), InvalidArgument);
  }
}

TEST_CASE("threshold: a level given, by Otsu, by the local mean; two levels are told apart wherever they lie") {
  const Image in = noise(47, 39, 3);
  for (const Threshold& f : {Threshold{.by = ThresholdBy::level, .level = 0.3F}, Threshold{},
                             Threshold{.by = ThresholdBy::local, .radius = 4, .offset = 0.05F}}) {
    test::check_as_defined(f, in);
  }
  Image two(20, 20);
  for (int i = 0; i < 400; ++i) two.at(i % 20, i / 20) = i % 7 == 0 ? 0.61F : 0.58F;
  CHECK(statistics(Threshold{}(two))[0].mean == doctest::Approx(58.0 / 400));
  // A step of light across the page: no single level fits, the local mean does.
  Image page(120, 40);
  for (int y = 0; y < 40; ++y) {
    for (int x = 0; x < 120; ++x) page.at(x, y) = (0.2F + 0.006F * static_cast<float>(x)) * (x % 12 < 3 ? 0.6F : 1.0F);
  }
  const auto wrong = [&](const Image& out) {
    int n = 0;
    for (int i = 0; i < 120 * 40; ++i) n += (out.at(i % 120, i / 120) > 0.5F) != (i % 120 % 12 >= 3);
    return n;
  };
  CHECK(wrong(Threshold{.by = ThresholdBy::local, .radius = 12, .offset = 0.03F}(page)) < 48);
  CHECK(wrong(Threshold{}(page)) > 600);
  CHECK(std::isnan(otsu_level(Histogram{0, 1, false, {0, 0}})));
  CHECK(statistics(Threshold{}(Image(4, 4)))[0].maximum == 0);
}

TEST_CASE("color conversions: known colors, there and back to rounding, NaN stays in its pixel") {
  Image primaries(7, 1, 3);
  const float colors[7][3] = {{1, 1, 1}, {1, 0, 0}, {0, 1, 0}, {0, 0, 1}, {0, 0, 0}, {0.5F, 0.5F, 0.5F}, {1, 1, 0}};
  for (int x = 0; x < 7; ++x) {
    for (int c = 0; c < 3; ++c) primaries.at(x, 0, c) = colors[x][c];
  }
  // Published values: white 1, 0, 0; red 0.62796, 0.22486, 0.12585; green 0.86644, -0.23389, 0.17950; blue 0.45201,
  // -0.03246, -0.31153.
  const Image lab = ToOklab{}(primaries);
  const double want[4][3] = {
      {1, 0, 0}, {0.62796, 0.22486, 0.12585}, {0.86644, -0.23389, 0.17950}, {0.45201, -0.03246, -0.31153}};
  for (int x = 0; x < 4; ++x) {
    for (int c = 0; c < 3; ++c)
      CHECK(static_cast<double>(lab.at(x, 0, c)) == doctest::Approx(want[x][c]).epsilon(1e-4).scale(1));
  }
  for (const int x : {0, 4, 5}) CHECK(std::abs(lab.at(x, 0, 1)) + std::abs(lab.at(x, 0, 2)) < 1e-6F);
  const Image hsv = ToHsv{}(primaries);
  CHECK(hsv.at(2, 0, 0) == doctest::Approx(1.0 / 3));
  CHECK(hsv.at(6, 0, 0) == doctest::Approx(1.0 / 6));
  CHECK(hsv.at(5, 0, 1) == 0);
  // Every fifth level of 8-bit color, in all mixtures: it comes back as it was.
  Image mixtures(52 * 52, 52, 3);
  for (int r = 0; r < 52; ++r) {
    for (int g = 0; g < 52; ++g) {
      for (int b = 0; b < 52; ++b) {
        const int of[] = {r, g, b};
        for (int c = 0; c < 3; ++c) mixtures.at(r * 52 + g, b, c) = static_cast<float>(5 * of[c]) / 255;
      }
    }
  }
  CHECK(deviation(FromOklab{}(ToOklab{}(mixtures)), mixtures) < 3e-5);
  CHECK(deviation(FromHsv{}(ToHsv{}(mixtures)), mixtures) < 2e-6);
  CHECK(deviation(HueShift{.degrees = 0}(mixtures), mixtures) < 3e-5);
  const Image in = noise(71, 37, 4), positive = Clip{.low = 0, .high = 10}(in);
  CHECK(deviation(FromOklab{}(ToOklab{}(in)), in) < 5e-5);
  CHECK(deviation(FromHsv{}(ToHsv{}(positive)), positive) < 2e-6);
  CHECK(deviation(FromOklab{}(ToOklab{}(noise(20, 9))), noise(20, 9)) < 1e-6);
  Image broken = in;
  broken.at(9, 9, 1) = std::nanf("");
  const Image after = Saturate{}(broken);
  CHECK(std::isnan(after.at(9, 9, 1)));
  CHECK(after.at(9, 9, 0) == broken.at(9, 9, 0));
  CHECK(deviation(after.view().part({10, 0, 61, 37}), Saturate{}(in).view().part({10, 0, 61, 37})) == 0);
}

TEST_CASE("hue and saturation hold the lightness, keep_hue keeps what it names") {
  const Image in = map_samples(noise(64, 48, 3), [](float v) { return 0.2F + 0.4F * std::clamp(v, 0.0F, 1.0F); });
  const auto lightness = [](const Image& v) { return take_channel(ToOklab{}(v), 0); };
  for (const char* text : {"saturate factor=0.3", "saturate factor=1.8", "hue_shift degrees=120", "keep_hue hue=142"}) {
    CAPTURE(text);
    CHECK(deviation(lightness(Chain::parse(text)(in)), lightness(in)) < 2e-5);
  }
  CHECK(deviation(Saturate{.factor = 1}(in), in) < 5e-6);
  CHECK(deviation(HueShift{.degrees = -200}(HueShift{.degrees = 200}(in)), in) < 1e-4);
  const Image gray = Saturate{.factor = 0}(in);
  CHECK(deviation(take_channel(gray, 0), take_channel(gray, 2)) < 1e-5);
  Image flags(3, 1, 3);
  flags.at(0, 0, 0) = 0.8F;  // red
  flags.at(1, 0, 2) = 0.8F;  // blue
  flags.at(2, 0, 0) = flags.at(2, 0, 1) = flags.at(2, 0, 2) = 0.5F;
  const Image kept = KeepHue{.hue = 29, .width = 40, .soft = 20}(flags);
  CHECK(kept.at(0, 0, 0) == doctest::Approx(0.8).epsilon(1e-4));
  CHECK(std::abs(kept.at(1, 0, 2) - kept.at(1, 0, 0)) < 1e-4F);
  CHECK(kept.at(2, 0, 1) == doctest::Approx(0.5).epsilon(1e-5));
  CHECK(deviation(KeepHue{.width = 360}(in), in) < 2e-5);
}

TEST_CASE("auto exposure chooses by the figures and says why; white balance takes a tint away") {
  const Image scene = test::noon();
  const auto plan = [&](float gain, float offset) {
    return exposure(map_samples(scene, [=](float v) { return gain * v + offset; }));
  };
  CHECK_FALSE(plan(1, 0).stretch);
  CHECK_FALSE(plan(1, 0).corrects());
  CHECK(plan(0.3F, 0.5F).stretch);
  CHECK(exposure(Gamma{.exponent = 3}(scene)).gamma < 0.8);
  CHECK(exposure(map_samples(scene, [](float v) { return 0.5F + 0.5F * v; })).verdict == ExposureVerdict::too_bright);
  Image split = scene;
  for (int y = 0; y < 512; ++y) {
    for (int x = 0; x < 768; ++x) {
      for (int c = 0; c < 3; ++c)
        split.at(x, y, c) = x < 384 ? 0.1F * scene.at(x, y, c) : 0.85F + 0.15F * scene.at(x, y, c);
    }
  }
  CHECK(exposure(split).local);
  const Image dark = io::read(test::data + "/night.png").image;
  CHECK(exposure(AutoExposure{}(dark)).verdict == ExposureVerdict::balanced);
  CHECK_FALSE(exposure(Image(4, 4)).corrects());
  // A factor for each channel in linear light is undone.
  const Image tinted = Encode{}([&] {
    Image light = Linearize{}(scene);
    for (int y = 0; y < 512; ++y) {
      for (int x = 0; x < 768; ++x) {
        light.at(x, y, 0) *= 0.8F;
        light.at(x, y, 2) *= 0.5F;
      }
    }
    return light;
  }());
  for (const BalanceBy by : {BalanceBy::gray_world, BalanceBy::white_patch}) {
    const WhiteBalance f{.by = by};
    test::check_as_defined(f, tinted);
    const auto ratio = [](const Image& v, int c) {
      return statistics(Linearize{}(v))[static_cast<std::size_t>(c)].mean / statistics(Linearize{}(v))[1].mean;
    };
    CHECK(std::abs(ratio(f(tinted), 2) - ratio(f(scene), 2)) < 0.1);
    CHECK(std::abs(ratio(f(tinted), 0) - ratio(f(scene), 0)) < 0.1);
  }
  CHECK(identical(WhiteBalance{}(noise(9, 9)), noise(9, 9)));
}

TEST_CASE("the hue of a pixel is the hue that keep_hue takes, in degrees; a gain is a product") {
  const std::tuple<float, float, float, double> colors[] = {{1, 0, 0, 29},  {1, 1, 0, 110}, {0, 1, 0, 142},
                                                            {0, 1, 1, 195}, {0, 0, 1, 264}, {1, 0, 1, 328}};
  for (const auto& [r, g, b, hue] : colors) {
    Image in(3, 2, 3);
    in.at(1, 1, 0) = r, in.at(1, 1, 1) = g, in.at(1, 1, 2) = b;
    const PixelColor seen = color_at(in, 1, 1);
    CAPTURE(hue);
    CHECK(std::abs(seen.hue - hue) < 0.6);
    CHECK(seen.chroma > 0.1);
    // Kept whole at its own degrees, gray at those opposite.
    CHECK(deviation(KeepHue{.hue = seen.hue, .width = 10}(in), in) < 1e-4);
    CHECK(color_at(KeepHue{.hue = std::fmod(seen.hue + 180, 360), .width = 10}(in), 1, 1).chroma < 1e-3);
    const PixelColor turned = color_at(HueShift{.degrees = 20}(Saturate{.factor = 0.3F}(in)), 1, 1);
    CHECK(std::abs(std::remainder(turned.hue - seen.hue - 20, 360)) < 0.2);
  }
  Image gray(2, 2);
  gray.fill(1);
  CHECK(color_at(gray, 1, 0).lightness == doctest::Approx(1));
  CHECK(color_at(gray, 1, 0).chroma == 0);
  CHECK_THROWS_AS(color_at(gray, 2, 0), InvalidArgument);
  const auto told = nlohmann::json::parse(test::lsieve("look " + test::noon_file + " --at 10,20 --json").out);
  CHECK(told["samples"][0]["hue"].get<double>() == doctest::Approx(color_at(test::noon(), 10, 20).hue));

  const Image in = noise(20, 10, 4), twice = Gain{.factor = 2}(in);
  CHECK(twice.at(3, 4, 2) == 2 * in.at(3, 4, 2));
  CHECK(identical(twice.channel(3), in.channel(3)));
  CHECK(Catalogue::standard().search("multiply by a number").front() == "gain");
}
