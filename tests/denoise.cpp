// Denoisers against their definitions, by what must hold, and by the gain they reach on the demo's view.

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

TEST_CASE("denoisers against their definitions: parameters, odd sizes, color") {
  const std::vector<std::string> all = {"nonlocal_means patch=1 search=3 noise=0.2",
                                        "nonlocal_means patch=0 search=2 noise=0.3 strength=1",
                                        "nonlocal_means patch=2 search=4",
                                        "bilateral sigma=1.3 range=0.2",
                                        "bilateral sigma=0.5 range=5",
                                        "guided radius=2 strength=0.1",
                                        "guided radius=9",
                                        "diffusion iterations=7 edge=0.3",
                                        "diffusion iterations=4 edge=0.2 conductance=exponential rate=0.1",
                                        "diffusion iterations=1",
                                        "adaptive_wiener radius=1 noise=0.2",
                                        "adaptive_wiener",
                                        "lee radius=2 speckle=0.3",
                                        "lee",
                                        "anscombe peak=20",
                                        "inverse_anscombe peak=20",
                                        "unsharp sigma=2 amount=0.6",
                                        "unsharp sigma=1 threshold=0.1 amount=3",
                                        "laplacian_sharpen diagonals=yes",
                                        "bounded_unsharp radius=2"};
  for (const Shape shape : {Shape{1, 1, 1}, {29, 18, 3}, {1, 33, 2}, {260, 3, 1}}) {
    const Image in = noise(shape.width, shape.height, shape.channels);
    for (const std::string& text : all) {
      CAPTURE(text);
      CAPTURE(shape.width);
      const Filter f = Chain::parse(text).steps()[0];
      test::check_as_defined(f, in);
    }
  }
  const Image in = noise(40, 30, 3), guide = noise(40, 30, 1, 7);
  const Guided with_guide{.radius = 3, .strength = 0.2F, .with = guide};
  test::check_as_defined(with_guide, in);
  CHECK_THROWS_AS((Guided{.with = SharedImage(noise(40, 31))}(in)), InvalidArgument);
}

TEST_CASE("total variation: as good as many projections, both ways of color, gap true, objective falls, NaN stays") {
  const Image in = noise(61, 47, 3);
  for (const bool together : {true, false}) {
    TotalVariation f{.weight = 0.2F, .tolerance = 1e-4F, .iterations = 2000, .together = together};
    Image out(in.shape());
    TotalVariationReport report;
    f.solve(in, out.view(), report);
    const double reached = total_variation_objective(out, in, 0.2, together);
    CHECK(report.gap <= 1e-4);
    CHECK(reached == doctest::Approx(report.objective).epsilon(1e-4));
    const double plain =
        total_variation_objective(reference::total_variation(in, 0.2, 3000, together), in, 0.2, together);
    CHECK(reached <= plain * 1.0001);
    CHECK(reached >= plain * 0.998);
    if (together) CHECK(report.history.back() <= report.history.front());
    for (std::size_t i = 1; together && i < report.history.size(); ++i)
      CHECK(report.history[i] <= report.history[i - 1] * 1.002);
  }
  // Larger than a tile, so that tiles must agree at their seams.
  const Image large = noise(330, 200);
  const TotalVariation f{.weight = 0.15F, .tolerance = 1e-6F, .iterations = 64};
  Image one = f(large);
  const Image part = reference::total_variation(large, 0.15, 1500, true);
  CHECK(total_variation_objective(one, large, 0.15, true) < total_variation_objective(part, large, 0.15, true) * 1.001);
  set_threads(1);
  CHECK(identical(f(large), one));
  set_threads(0);
  Image broken = in;
  broken.at(5, 5, 1) = std::nanf("");
  const Image after = TotalVariation{.weight = 0.2F}(broken);
  CHECK(std::isnan(after.at(5, 5, 1)));
  CHECK(std::isfinite(after.at(6, 5, 1)));
  // A very strong weight leaves the mean alone.
  const Image flat = TotalVariation{.weight = 100, .iterations = 3000}(noise(20, 20));
  CHECK(statistics(flat)[0].deviation < 0.02);
  CHECK(statistics(flat)[0].mean == doctest::Approx(statistics(noise(20, 20))[0].mean).epsilon(1e-3));
}

TEST_CASE("even pictures stay, edges keep their place, work can be stopped") {
  Image even(70, 50, 3), step(70, 50);
  for (int y = 0; y < 50; ++y) {
    for (int x = 0; x < 70; ++x) {
      for (int c = 0; c < 3; ++c) even.at(x, y, c) = 0.3F + 0.2F * static_cast<float>(c);
      step.at(x, y) = x < 35 ? 0.2F : 0.8F;
    }
  }
  const Image grain = GaussianNoise{.deviation = 0.05F}(step);
  for (const char* text :
       {"nonlocal_means noise=0.05", "total_variation weight=0.05", "bilateral range=0.1",
        "bilateral range=0.1 method=fast", "guided strength=0.1", "diffusion edge=0.1", "adaptive_wiener noise=0.05",
        "lee speckle=0.1", "median", "alpha_trimmed_mean", "unsharp", "bounded_unsharp", "laplacian_sharpen"}) {
    CAPTURE(std::string(text));
    const Chain f = Chain::parse(text);
    CHECK(deviation(f(even), even) < 1e-5);
    if (f.steps()[0].about().family == "sharpen") continue;
    const Image out = f(grain);
    CHECK(compare(out, step).psnr > compare(grain, step).psnr + 2);
    // Row means cross the middle of the step where they did.
    for (const int x : {33, 34}) CHECK(statistics(out.view().part({x, 0, 1, 50}))[0].mean < 0.5);
    for (const int x : {35, 36}) CHECK(statistics(out.view().part({x, 0, 1, 50}))[0].mean > 0.5);
  }
  Watch watch;
  watch.stop();
  const Watch::Active active(watch);
  for (const char* text : {"nonlocal_means", "total_variation", "diffusion", "bilateral", "median radius=9"})
    CHECK_THROWS_AS(Chain::parse(text)(noise(300, 300)), Canceled);
}

TEST_CASE("the fast bilateral filter keeps to its stated error; Anscombe and back is unbiased and its noise is even") {
  const Image in = Clip{}(GaussianNoise{.deviation = 0.05F}(test::noon().view().part({200, 100, 110, 80})));
  for (const float range : {0.05F, 0.1F, 0.3F}) {
    if (test::sanitized && range != 0.1F) continue;
    CAPTURE(range);
    CHECK(deviation(Bilateral{.sigma = 3, .range = range, .method = BilateralMethod::fast}(in),
                    reference::bilateral(in, 3, 12, range, Border::mirror)) < 0.01);
    const ConstView part = in.view().part({33, 2, 47, 38});
    for (const float sigma : {4.0F, 6.0F, 9.5F})
      CHECK(deviation(Bilateral{.sigma = sigma, .range = range, .method = BilateralMethod::fast}(part),
                      reference::bilateral(part, sigma, static_cast<int>(std::ceil(4 * sigma)), range,
                                           Border::mirror)) < 0.011);
  }
  // One sample far off does not ask for a million levels.
  Image glint(in.view().part({0, 0, 30, 20}));
  glint.at(4, 5) = 1e6F;
  const ConstView red = glint.view().channel(0);
  CHECK(deviation(Bilateral{.sigma = 6, .range = 0.05F, .method = BilateralMethod::fast}(red),
                  Bilateral{.sigma = 6, .range = 0.05F, .method = BilateralMethod::exact}(red)) == 0);
  Image levels(400, 300);
  for (int y = 0; y < 300; ++y) {
    for (int x = 0; x < 400; ++x) levels.at(x, y) = 0.1F + 0.3F * static_cast<float>(y / 100);
  }
  const Image photons = PoissonNoise{.photons = 60}(levels), even = Anscombe{.peak = 60}(photons);
  for (int i = 0; i < 3; ++i) {
    const Rectangle part{0, 100 * i, 400, 100};
    CHECK(statistics(even.view().part(part))[0].deviation * 2 * std::sqrt(60.375) == doctest::Approx(1).epsilon(0.05));
    // The mean of the transform, taken back, is the mean of the photons.
    Image mean(1, 1);
    mean.at(0, 0) = static_cast<float>(statistics(even.view().part(part))[0].mean);
    CHECK(static_cast<double>(InverseAnscombe{.peak = 60}(mean).at(0, 0)) ==
          doctest::Approx(0.1 + 0.3 * i).epsilon(0.02));
  }
}

TEST_CASE("gains on the demo's view: grain of 25/255 and a tenth of impulses") {
  const Image clean = test::noon();
  const Image grain = GaussianNoise{.deviation = 25.0F / 255, .seed = 7}(clean);
  const double before = compare(grain, clean).psnr;
  const auto gain = [&](const char* text) { return compare(Chain::parse(text)(grain), clean).psnr - before; };
  CHECK(gain("nonlocal_means") > 8);
  CHECK(gain("total_variation") > 8);
  CHECK(gain("wavelet_shrink") > 6);
  CHECK(gain("bilateral") > 6);
  CHECK(gain("adaptive_wiener") > 6);
  const Image impulses = ImpulseNoise{.dark = 0.05F, .bright = 0.05F, .seed = 3}(clean);
  double blurred = 0;
  for (const float sigma : {0.8F, 1.0F, 1.2F, 1.5F, 2.0F})
    blurred = std::max(blurred, compare(Gaussian{.sigma = sigma}(impulses), clean).psnr);
  CHECK(compare(AdaptiveMedian{}(impulses), clean).psnr > blurred + 11);
  CHECK(compare(AdaptiveMedian{.radius = 3}(impulses), clean).psnr > blurred + 8);
}

TEST_CASE("sharpening: what leaves 0..1 is kept and told, halos do not rise where they are limited, stages are shown") {
  const Image in = io::read(test::data + "/out_of_focus.png").image;
  const Run strong = Engine::standard().run(Unsharp{.sigma = 3, .amount = 4}, in, {.figures = true});
  std::size_t below = 0, above = 0;
  for (const ChannelStatistics& s : statistics(strong.image)) below += s.below, above += s.above;
  CHECK(below + above > 0);
  CHECK(strong.report.steps[0].figures.below == below);
  CHECK(strong.report.steps[0].figures.above == above);
  CHECK(identical(Unsharp{.amount = 0}(in), in));
  CHECK(sharpness(Unsharp{.amount = 0.5F}(in)) < sharpness(Unsharp{}(in)));
  CHECK(sharpness(Unsharp{}(in)) < sharpness(Unsharp{.amount = 2}(in)));
  const Image limited = BoundedUnsharp{.sigma = 3, .amount = 4}(in);
  for (int c = 0; c < 3; ++c) {
    CHECK(statistics(limited)[static_cast<std::size_t>(c)].maximum <=
          statistics(in)[static_cast<std::size_t>(c)].maximum);
    CHECK(statistics(limited)[static_cast<std::size_t>(c)].minimum >=
          statistics(in)[static_cast<std::size_t>(c)].minimum);
  }
  CHECK(sharpness(limited) > 1.5 * sharpness(in));
  // Noise below the threshold is not raised.
  const Image flat = GaussianNoise{.deviation = 0.01F}(map_samples(Image(80, 60), [](float) { return 0.5F; }));
  CHECK(statistics(Unsharp{.amount = 3, .threshold = 0.05F}(flat))[0].deviation < 0.0105);
  CHECK(statistics(Unsharp{.amount = 3}(flat))[0].deviation > 0.03);
  const auto stages = Filter(Unsharp{}).stages(in);
  REQUIRE(stages.size() == 2);
  CHECK(stages[0].name == "blur");
  CHECK(stages[1].content == StageContent::differences);
  CHECK(deviation(map_pairs(in, stages[1].image, [](float a, float m) { return a + m; }), Unsharp{}(in)) < 1e-6);
  CHECK(Filter(Gaussian{}).stages(in).empty());
}

TEST_CASE("tiles meet without a seam: sizes about their sides, gray and color, every patch and search window") {
  // Tiles of non-local means are 240 x 96, groups of rows 21; those of total variation 640 or 192 x 1088.
  for (const Shape shape : {Shape{241, 22, 1}, {239, 43, 3}, {17, 97, 1}, {256, 3, 2}}) {
    if (test::sanitized && shape.channels != 3) continue;
    const Image in = noise(shape.width, shape.height, shape.channels, 4);
    CAPTURE(shape.width);
    for (const NonlocalMeans& f : {NonlocalMeans{.patch = 3, .search = 2, .noise = 0.3F},
                                   {.patch = 0, .search = 1, .noise = 0.5F},
                                   {.patch = 5, .search = 2, .strength = 2, .noise = 0.2F},
                                   {.patch = 1, .search = 9, .noise = 0.2F}}) {
      CAPTURE(Filter(f).text());
      test::check_as_defined(f, in);
    }
  }
  // A window wider than the picture and than the margin of one vector.
  const Image small = noise(9, 8);
  const NonlocalMeans wide{.patch = 2, .search = 20, .noise = 0.3F};
  test::check_as_defined(wide, small);
  for (const Shape shape : {Shape{650, 24, 1}, {199, 21, 3}, {12, 1100, 1}}) {
    if (test::sanitized && shape.channels != 3) continue;
    CAPTURE(shape.width);
    const Image in = noise(shape.width, shape.height, shape.channels, 6);
    const TotalVariation f{.weight = 0.1F, .tolerance = 1e-6F, .iterations = 400};
    const Image out = f(in), plain = reference::total_variation(in, 0.1, 4000, true);
    // Both near the one optimum, whose curvature is 1 / weight: 8.8e-4 apart at most.
    CHECK(deviation(out, plain) < 2e-3);
    CHECK(total_variation_objective(out, in, 0.1, true) <= total_variation_objective(plain, in, 0.1, true) * 1.00001);
  }
}

TEST_CASE("total variation: the gap falls from sweep to sweep, whatever the weight; the report is that of the result") {
  const Image in = GaussianNoise{.deviation = 0.1F, .seed = 3}(test::noon().view().part({100, 100, 200, 150}));
  double roughest = 1e300;
  for (const float weight : {1e-4F, 0.01F, 0.1F, 1.0F, 10.0F}) {
    CAPTURE(weight);
    double before = 1e300;
    for (const int iterations : {1, 5, 16, 17, 64, 200, 800}) {
      CAPTURE(iterations);
      Image out(in.shape());
      TotalVariationReport report;
      TotalVariation{.weight = weight, .tolerance = 1e-6F, .iterations = iterations}.solve(in, out.view(), report);
      CHECK(report.iterations <= iterations);
      CHECK((report.iterations == iterations || report.gap <= 1e-6));
      CHECK(report.objective ==
            doctest::Approx(total_variation_objective(out, in, static_cast<double>(weight), true)).epsilon(1e-4));
      CHECK(report.history.back() == report.objective);
      CHECK(report.gap <= before * 1.05);
      before = report.gap;
    }
    CHECK(before < 0.05);
    // A stronger weight leaves less variation.
    const Image out = TotalVariation{.weight = weight, .iterations = 800}(in);
    const double variation = total_variation_objective(out, out, 1, true);
    CHECK(variation < roughest);
    roughest = variation;
  }
}

TEST_CASE(
    "the fast bilateral filter: levels and cells of every size, one level alone, samples that are lost, threads") {
  const Image in = noise(140, 90, 2);
  for (const float sigma : {0.7F, 2.0F, 3.9F, 12.0F, 40.0F}) {
    for (const float range : {0.02F, 0.4F, 10.0F}) {
      CAPTURE(sigma);
      CAPTURE(range);
      const Bilateral fast{.sigma = sigma, .range = range, .method = BilateralMethod::fast};
      const Image out = fast(in);
      // A mean of what is there: never beyond the range of the picture.
      const auto [low, high] = std::pair{statistics(in)[0].minimum, statistics(in)[0].maximum};
      CHECK(statistics(out)[0].minimum >= low - 1e-3);
      CHECK(statistics(out)[0].maximum <= high + 1e-3);
      set_threads(1);
      CHECK(identical(fast(in), out));
      set_threads(0);
      // Turned about, the result is turned about: no direction is preferred, but for where cells begin.
      if (range > 1) CHECK(deviation(out, Gaussian{.sigma = sigma, .border = Border::mirror}(in)) < 0.03);
    }
  }
  const Image even = map_samples(noise(50, 40), [](float) { return 0.3F; });
  CHECK(deviation(Bilateral{.sigma = 6, .range = 0.1F, .method = BilateralMethod::fast}(even), even) < 1e-6);
  Image broken = noise(60, 50);
  broken.at(20, 20) = std::nanf("");
  broken.at(30, 20) = INFINITY;
  const Image out = Bilateral{.sigma = 5, .range = 0.2F, .method = BilateralMethod::fast}(broken);
  CHECK(std::isnan(out.at(20, 20)));
  CHECK(std::isinf(out.at(30, 20)));
  for (int x = 0; x < 60; ++x) CHECK((x == 20 || x == 30 || std::isfinite(out.at(x, 20))));
}

TEST_CASE("what is left to a denoiser is nearly the best setting, at any noise; as the plain definition chooses it") {
  const Image little = GaussianNoise{.deviation = 0.08F, .seed = 4}(test::noon().view().part({330, 130, 60, 44}));
  for (const char* name : {"total_variation", "nonlocal_means search=5", "bilateral", "guided", "diffusion"})
    test::check_as_defined(Chain::parse(name).steps()[0], little);
  const Image clean = to_gray(test::noon().view().part({300, 100, 260, 220}));
  struct Setting {
    const char* text;
    std::vector<double> times;  // of the noise, or by itself
    bool of_noise;
  };
  const std::vector<Setting> all = {{"total_variation weight=", {0.4, 0.5, 0.65, 0.8, 1, 1.2, 1.5, 2}, true},
                                    {"nonlocal_means strength=", {0.25, 0.35, 0.45, 0.55, 0.7, 0.9}, false},
                                    {"bilateral range=", {1, 1.5, 2, 2.5, 3, 4, 6}, true},
                                    {"guided strength=", {0.7, 1, 1.5, 2, 3, 4}, true},
                                    {"diffusion edge=", {0.25, 0.4, 0.6, 0.8, 1, 1.5, 3}, true}};
  for (const double noise : {0.02, 0.1, 0.25}) {
    if (test::sanitized && noise != 0.1) continue;
    const Image noisy = GaussianNoise{.deviation = noise, .seed = 9}(clean);
    for (const Setting& s : all) {
      const std::string text = s.text, name = text.substr(0, text.find(' '));
      double best = 0;
      for (const double t : s.times)
        best = std::max(best, psnr(Chain::parse(text + std::to_string(s.of_noise ? t * noise : t))(noisy), clean));
      CAPTURE(name);
      CAPTURE(noise);
      CHECK(psnr(Chain::parse(name)(noisy), clean) > best - 0.35);
    }
  }
}

TEST_CASE("every denoiser that sets itself does so by the estimated noise: as if it had been given") {
  const Image in = Clip{}(GaussianNoise{.deviation = 0.06F, .seed = 9}(test::noon().view().part({300, 100, 220, 180})));
  const auto s = static_cast<float>(noise_level(in));
  CHECK(s == doctest::Approx(0.06).epsilon(0.25));
  CHECK(identical(NonlocalMeans{}(in), NonlocalMeans{.noise = s}(in)));
  CHECK(identical(AdaptiveWiener{}(in), AdaptiveWiener{.noise = s}(in)));
  CHECK(deviation(WaveletShrink{}(in), WaveletShrink{.noise = s}(in)) < 1e-4);
  // More noise, more smoothing.
  for (const char* text :
       {"nonlocal_means", "total_variation", "wavelet_shrink", "bilateral", "guided", "diffusion", "adaptive_wiener"}) {
    CAPTURE(std::string(text));
    double before = 0;
    for (const float deviation_of_noise : {0.02F, 0.06F, 0.15F}) {
      const Image noisy =
          GaussianNoise{.deviation = deviation_of_noise, .seed = 9}(test::noon().view().part({300, 100, 220, 180}));
      const double taken = compare(Chain::parse(text)(noisy), noisy).mse;
      CHECK(taken > before);
      before = taken;
    }
  }
}
