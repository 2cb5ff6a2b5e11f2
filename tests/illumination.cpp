// Minima and openings, flat fields, backgrounds, homomorphic filter, retinex, advice.

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

// The scene under light that falls off to the corners and one side.
Image lit(const Image& scene) {
  Image out(scene);
  for (int c = 0; c < scene.shape().color_channels(); ++c) {
    for (int y = 0; y < scene.height(); ++y) {
      for (int x = 0; x < scene.width(); ++x) {
        const float u = 2 * static_cast<float>(x) / static_cast<float>(scene.width()) - 1,
                    v = 2 * static_cast<float>(y) / static_cast<float>(scene.height()) - 1;
        out.at(x, y, c) *= 0.75F + 0.2F * u - 0.25F * (u * u + v * v);
      }
    }
  }
  return out;
}

// A page: bright, with small dark marks.
Image page(int width, int height) {
  Image out(width, height);
  const RandomStream random(11);
  for (int y = 0; y < height; ++y) {
    for (int x = 0; x < width; ++x)
      out.at(x, y) = random.uniform(static_cast<std::uint64_t>(y / 3 * 1000 + x / 2)) < 0.08 ? 0.2F : 0.9F;
  }
  return out;
}

}  // namespace

TEST_CASE("minimum and maximum against their definitions: every border, windows larger than the picture, NaN") {
  for (const Shape shape : {Shape{1, 1, 1}, {37, 29, 2}, {150, 5, 1}, {3, 140, 1}}) {
    Image in = noise(shape.width, shape.height, shape.channels);
    in.at(shape.width / 2, shape.height / 2) = std::nanf("");
    for (const int radius : {0, 1, 2, 7, 20}) {
      for (const Border border : test::all_borders) {
        if (border == Border::inside) continue;
        CAPTURE(shape.width);
        CAPTURE(radius);
        CAPTURE(static_cast<int>(border));
        const Minimum least{.radius = static_cast<float>(radius), .border = border, .fill = 0.3F};
        const Maximum most{.radius = static_cast<float>(radius), .border = border, .fill = 0.3F};
        test::check_as_defined(least, in);
        test::check_as_defined(most, in);
      }
      test::check_as_defined(Opening{.radius = radius}, in);
      test::check_as_defined(Closing{.radius = radius}, in);
    }
  }
  CHECK_THROWS_AS((Minimum{.border = Border::inside}(noise(9, 9))), InvalidArgument);
}

TEST_CASE("opening: idempotent, never brighter, drops what is narrower than the window and keeps the rest") {
  const Image in = noise(90, 61);
  const Opening f{.radius = 3};
  const Image once = f(in);
  CHECK(identical(f(once), once));
  for (int i = 0; i < 90 * 61; ++i) CHECK(once.at(i % 90, i / 90) <= in.at(i % 90, i / 90));
  Image objects(60, 30);
  for (int y = 10; y < 20; ++y) {
    for (int x = 5; x < 10; ++x) objects.at(x, y) = 1;   // 5 wide
    for (int x = 30; x < 40; ++x) objects.at(x, y) = 1;  // 10 wide
  }
  const Image left = f(objects);  // window 7
  CHECK(statistics(left)[0].mean == doctest::Approx(100.0 / 1800));
  CHECK(left.at(30, 10) == 1);
  const Image inverse = Invert{}(Closing{.radius = 3}(Invert{}(in)));
  CHECK(deviation(inverse, once) < 1e-6);
}

TEST_CASE("flat field: the flat itself becomes constant, the scene comes back, near-zero flats are counted") {
  const Image scene = map_samples(noise(80, 60, 3), [](float v) { return 0.3F + 0.4F * std::clamp(v, 0.0F, 1.0F); });
  const Image white = map_samples(scene, [](float) { return 0.8F; }),
              dark = map_samples(noise(80, 60, 1, 4), [](float v) { return 0.02F * std::clamp(v, 0.0F, 1.0F); });
  const auto taken = [&](const Image& v) { return map_pairs(lit(v), dark, [](float a, float b) { return a + b; }); };
  const FlatField f{.with = SharedImage(taken(white)), .dark = SharedImage(dark)};
  const Image even = f(taken(white));
  for (const ChannelStatistics& s : statistics(even)) CHECK(s.deviation < 1e-6);
  CHECK(statistics(even)[0].mean == doctest::Approx(statistics(lit(white))[0].mean).epsilon(1e-5));
  const double level = statistics(lit(white))[0].mean / 0.8;
  CHECK(deviation(f(taken(scene)), map_samples(scene, [level](float v) { return static_cast<float>(level * v); })) <
        1e-5);
  test::check_as_defined(f, taken(scene));
  Image holes = taken(white);
  holes.at(4, 4, 0) = 0;
  holes.at(5, 4, 1) = std::nanf("");
  Watch watch;
  std::string notes;
  watch.on_note = [&](const std::string& line) { notes += line + "\n"; };
  const Watch::Active active(watch);
  const FlatField protecting{.with = SharedImage(holes)};
  const Image out = protecting(scene);
  CHECK(std::isfinite(out.at(4, 4, 0)));
  CHECK(out.at(5, 4, 1) == scene.at(5, 4, 1));
  CHECK(notes.find("2 samples of the flat") != std::string::npos);
  CHECK(notes.find("flatness") != std::string::npos);
  CHECK(deviation(out, reference::plain(protecting, scene)) < 1e-4);
  CHECK_THROWS_AS((FlatField{.with = SharedImage(noise(80, 61))}(scene)), InvalidArgument);
  CHECK_THROWS_AS((FlatField{.with = SharedImage(Image(80, 60))}(scene)), InvalidArgument);
  CHECK_THROWS_AS((FlatField{}(scene)), InvalidArgument);
}

TEST_CASE("backgrounds: against their definitions, exact for surfaces, robust against objects, evening out the light") {
  const Image in = noise(75, 66, 3);
  for (const char* text :
       {"background sigma=6", "background by=opening radius=4", "background by=opening radius=3 objects=dark",
        "background by=polynomial degree=1", "background by=polynomial degree=4", "flatten how=subtract sigma=9",
        "retinex scales=3,9", "homomorphic cutoff=0.05"}) {
    CAPTURE(text);
    const Filter f = Chain::parse(text).steps()[0];
    test::check_as_defined(f, in);
  }
  const Image even = page(320, 240);
  const Image uneven = lit(even);
  // The surface is found although a tenth of the picture is marks.
  const Image light = Background{.by = BackgroundBy::polynomial}(uneven),
              truth = lit(map_samples(even, [](float) { return 0.9F; }));
  const auto ratio = map_pairs(light, truth, [](float a, float b) { return a / b; });
  CHECK(statistics(ratio)[0].deviation / statistics(ratio)[0].mean < 0.03);
  for (const char* text : {"flatten by=polynomial", "flatten by=opening radius=9 objects=dark", "flatten sigma=30",
                           "homomorphic low=0.2", "retinex"}) {
    CAPTURE(text);
    const Image out = Chain::parse(text)(uneven);
    CHECK(flatness(out) < 0.5 * flatness(uneven));
    if (std::string(text).starts_with("flatten"))
      CHECK(statistics(out)[0].mean == doctest::Approx(statistics(uneven)[0].mean).epsilon(0.03));
  }
  // All of them tell how even the light was and is.
  for (const char* text : {"flatten", "homomorphic", "retinex"}) {
    CAPTURE(std::string(text));
    Watch watch;
    std::string told;
    watch.on_note = [&](const std::string& line) { told += line; };
    const Watch::Active active(watch);
    (void)Chain::parse(text)(uneven);
    CHECK(told.find("flatness 0.") != std::string::npos);
  }
  // A surface through a scene falls below 0 in its corners: it is held, and said.
  Watch watch;
  std::string held;
  watch.on_note = [&](const std::string& line) { held += line; };
  const Watch::Active active(watch);
  const Image corners = Vignette{}(test::noon());
  const Image lifted = Flatten{.by = BackgroundBy::polynomial}(corners);
  for (std::size_t c = 0; c < 3; ++c) CHECK(statistics(lifted)[c].maximum <= 20.001 * statistics(corners)[c].maximum);
  CHECK(held.find("held there") != std::string::npos);
  Image broken = noise(40, 40);
  broken.at(20, 20) = std::nanf("");
  for (const char* text : {"flatten by=polynomial", "flatten sigma=3", "homomorphic", "retinex"}) {
    CAPTURE(text);
    const Image out = Chain::parse(text)(broken);
    CHECK(std::isnan(out.at(20, 20)));
    CHECK(std::isfinite(out.at(0, 0)));
  }
  for (const char* wrong :
       {"retinex scales=", "retinex scales=0.1", "retinex scales=1,x", "retinex scales=1,2,3,4,5,6,7,8,9"})
    CHECK_THROWS_AS(Chain::parse(wrong), InvalidArgument);
}

TEST_CASE("uneven light is found on a page, not where the page alone is dark below") {
  const Diagnosis d = diagnose(lit(page(200, 150)));
  REQUIRE(d.find(Trouble::uneven_light) != nullptr);
  CHECK(d.proposals[0].chain.text() == "flatten by=polynomial");
  CHECK(diagnose(page(200, 150)).find(Trouble::uneven_light) == nullptr);
}
