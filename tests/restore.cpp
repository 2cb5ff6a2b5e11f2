#include "sieve/restore.hpp"

#include <numbers>

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;
using test::noon;

namespace {

double gain(const std::string& chain, const Image& blurred, const Image& truth) {
  return compare(Chain::parse(chain)(blurred), truth).psnr - compare(blurred, truth).psnr;
}

}  // namespace

TEST_CASE("borders that nobody knows: cut out after the blur, taper is the closest, and its rim is little worse") {
  const Image truth = to_gray(noon());
  const Rectangle middle{150, 100, 256, 224};
  for (const std::string psf : {"motion:length=13,angle=35", "box:radius=3"}) {
    const Image all =
        GaussianNoise{.deviation = 0.004F}(Blur{.psf = Kernel::parse(psf), .border = Border::mirror}(truth));
    for (const std::string filter : {"wiener", "constrained_least_squares", "richardson_lucy iterations=20",
                                     "total_variation_deconvolution iterations=30"}) {
      CAPTURE(psf);
      CAPTURE(filter);
      const auto restored = [&](const ConstView& in, const std::string& border) {
        return Chain::parse(filter + " noise=0.004 psf=" + psf + " border=" + border)(in);
      };
      const auto off = [&](const Image& u) { return compare(u, truth.view().part(middle)).mse; };
      // The sum of squares in a frame of 16 pixels.
      const auto rim = [&](const Image& u) {
        const Rectangle inside{16, 16, 224, 192};
        return 256 * 224 * off(u) -
               224 * 192 * compare(u.view().part(inside), truth.view().part(middle).part(inside)).mse;
      };
      const Image cut(all.view().part(middle)), taper = restored(cut, "taper"), whole = restored(all, "taper");
      CHECK(off(taper) < off(restored(cut, "mirror")));
      CHECK(off(taper) < off(restored(cut, "wrap")));
      CHECK(10 * std::log10(rim(taper) / rim(Image(whole.view().part(middle)))) < 2.5);
    }
  }
}

TEST_CASE("iterations end by the change of the result; noise that is measured serves as well as noise that is told") {
  const Image truth = to_gray(noon().view().part({200, 100, 256, 192}));
  const Image blurred =
      GaussianNoise{.deviation = 0.01F, .seed = 4}(Blur{.psf = Kernel::disk(2), .border = Border::mirror}(truth));
  for (const std::string filter :
       {"wiener", "constrained_least_squares by=discrepancy", "landweber",
        "richardson_lucy iterations=2000 tolerance=0.003", "total_variation_deconvolution iterations=2000"}) {
    CAPTURE(filter);
    std::string notes;
    Watch watch;
    watch.on_note = [&](const std::string& line) { notes += line; };
    const Watch::Active active(watch);
    const auto closeness = [&](const std::string& more) {
      return compare(Chain::parse(filter + " psf=disk:radius=2" + more)(blurred), truth).psnr;
    };
    const double told = closeness(" noise=0.01");
    CHECK(std::abs(closeness("") - told) < 0.3);
    CHECK(told > compare(blurred, truth).psnr + 1);
    if (filter.find("iterations=") == std::string::npos) continue;
    // Far before the last.
    const auto at = notes.find(" iterations");
    REQUIRE(at != std::string::npos);
    CHECK(std::stoi(notes.substr(notes.rfind(' ', at - 1))) < 600);
  }
}

TEST_CASE("color: the weights of the mean and of two differences are found apart") {
  const Kernel psf = Kernel::disk(3);
  const Image blurred = GaussianNoise{.deviation = 0.02F}(Blur{.psf = psf, .border = Border::mirror}(noon()));
  for (const char* filter : {"wiener", "constrained_least_squares", "landweber"}) {
    CAPTURE(std::string(filter));
    const Chain f = Chain::parse(std::string(filter) + " noise=0.02 psf=disk:radius=3");
    Image apart = blurred;
    for (int c = 0; c < 3; ++c) copy(f(blurred.view().channel(c)), apart.view().channel(c));
    CHECK(compare(f(blurred), noon()).psnr > compare(apart, noon()).psnr + 0.2);
  }
}

TEST_CASE("what was blurred without noise comes back") {
  for (const auto& [w, h] : {std::pair{64, 48}, std::pair{45, 31}}) {
    const Image in = noise(w, h, w == 45 ? 3 : 1);
    for (const char* psf : {"gaussian:sigma=0.8", "0.1,0.1,0.05/0.1,0.4,0.1/0.05,0.05,0.05"}) {
      CAPTURE(std::string(psf));
      const Image blurred = Blur{.psf = Kernel::parse(psf), .border = Border::wrap}(in);
      CHECK(deviation(Inverse{.psf = Kernel::parse(psf), .border = Border::wrap}(blurred), in) < 1e-5);
      CHECK(deviation(Wiener{.psf = Kernel::parse(psf), .ratio = 0.0F, .border = Border::wrap}(blurred), in) < 1e-5);
      CHECK(
          deviation(ConstrainedLeastSquares{.psf = Kernel::parse(psf), .weight = 0.0F, .border = Border::wrap}(blurred),
                    in) < 1e-3);
    }
    const Image mirrored = Blur{.psf = Kernel::gaussian(0.8), .border = Border::mirror}(in);
    CHECK(deviation(Inverse{.psf = Kernel::gaussian(0.8)}(mirrored), in) < 1e-5);
  }
  const Image blurred = Blur{.psf = Kernel::gaussian(1), .border = Border::mirror}(noon());
  CHECK(compare(Inverse{.psf = Kernel::gaussian(1)}(blurred), noon()).psnr > 60);
}

TEST_CASE("fast and plain agree; odd sizes, large PSFs, not a number, a stop") {
  for (const auto& [w, h] : {std::pair{17, 12}, std::pair{1, 9}, std::pair{1, 1}, std::pair{20, 15}}) {
    CAPTURE(w);
    const Image in = noise(w, h, w == 20 ? 3 : 1);
    for (const char* text :
         {"inverse psf=gaussian:sigma=0.7", "pseudo_inverse psf=disk:radius=2.5 below=hold",
          "pseudo_inverse psf=motion:length=5,angle=30 below=constant constant=0.5", "pseudo_inverse psf=box:radius=40",
          "wiener psf=gaussian:sigma=1.5 noise=0.05", "wiener psf=disk:radius=2 ratio=0.01 border=taper",
          "constrained_least_squares psf=gaussian:sigma=1.2 noise=0.02 border=wrap",
          "constrained_least_squares psf=disk:radius=2 by=validation smooth=no",
          "constrained_least_squares psf=gaussian:sigma=1.2 by=corner",
          "constrained_least_squares psf=motion:length=4,angle=40 by=discrepancy noise=0.05",
          "landweber psf=gaussian:sigma=0.9 iterations=40 noise=0",
          "landweber psf=motion:length=4,angle=40 iterations=30 noise=0.02 step=1.5",
          "richardson_lucy psf=gaussian:sigma=0.9 iterations=6 noise=0",
          "richardson_lucy psf=motion:length=4,angle=40 iterations=6 smoothness=0.01 noise=0 border=taper",
          "richardson_lucy psf=disk:radius=2 iterations=12 noise=0.05 accelerate=no"}) {
      CAPTURE(std::string(text));
      const Chain f = Chain::parse(text);
      test::check_as_defined(f, in);
      // Much closer than it must be where nothing looks at directions.
      const std::string words = text;
      if (words.starts_with("richardson_lucy") && words.find("smoothness") == std::string::npos &&
          words.find("noise=0.05") == std::string::npos)
        CHECK(deviation(f(in), reference::plain(f, in)) < 2e-5);
    }
  }
  Image broken = noise(40, 30);
  broken.at(7, 9) = std::nanf("");
  for (const char* text : {"wiener noise=0.01", "richardson_lucy noise=0 iterations=3"}) {
    const Image after = Chain::parse(text)(broken);
    CHECK(std::isnan(after.at(7, 9)));
    CHECK(std::isfinite(after.at(8, 9)));
  }
  Watch watch;
  watch.stop();
  const Watch::Active active(watch);
  CHECK_THROWS_AS(RichardsonLucy{}(noon()), Canceled);
  CHECK_THROWS_AS(Wiener{}(noon()), Canceled);
}

TEST_CASE("with noise the inverse is useless, and the others gain") {
  const Kernel psf = Kernel::gaussian(2);
  const Image blurred =
      GaussianNoise{.deviation = 5.0F / 255, .seed = 3}(Blur{.psf = psf, .border = Border::mirror}(noon()));
  CHECK(gain("inverse psf=gaussian:sigma=2 force=yes", blurred, noon()) < -20);
  // A wrong PSF on a picture without noise: no weight may make a picture of noise, and a note says so.
  {
    std::string notes;
    Watch watch;
    watch.on_note = [&](const std::string& line) { notes += line; };
    const Watch::Active active(watch);
    const Image wrong =
        ConstrainedLeastSquares{.psf = Kernel::gaussian(2.5)}(io::read(test::data + "/out_of_focus.png").image);
    CHECK(statistics(wrong)[0].deviation < 0.5);
    CHECK(notes.find("is this the right PSF?") != std::string::npos);
  }
  // A wrong PSF and noise far above what is told make no picture of pure noise.
  CHECK(statistics(Wiener{.psf = Kernel::gaussian(1.5), .noise = 0.01F}(noise(50, 40)))[0].deviation < 20);
  double best = 0;
  for (const char* text :
       {"wiener psf=gaussian:sigma=2", "constrained_least_squares psf=gaussian:sigma=2",
        "richardson_lucy psf=gaussian:sigma=2", "total_variation_deconvolution psf=gaussian:sigma=2"}) {
    CAPTURE(std::string(text));
    const double g = gain(text, blurred, noon());
    CHECK(g > 1.5);
    best = std::max(best, g);
  }
  CHECK(best > 2.2);
  for (const char* text :
       {"constrained_least_squares psf=gaussian:sigma=2 by=discrepancy", "landweber psf=gaussian:sigma=2"}) {
    CAPTURE(std::string(text));
    CHECK(gain(text, blurred, noon()) > 1.2);
  }
  // Grain first, then the blur: what the denoiser left is not white, and must not be taken for detail.
  const double both = gain("nonlocal_means then wiener psf=gaussian:sigma=2", blurred, noon());
  CHECK(both > 1.8);
  // What a linear filter can reach at all: the true spectrum as the ratio.
  const Image gray = to_gray(blurred), sharp = to_gray(noon());
  const auto noise_of_gray = noise_level(gray);
  const double bound =
      compare(Wiener{.psf = psf, .ratios = SharedImage(noise_ratio(sharp, noise_of_gray))}(gray), sharp).psnr;
  CHECK(bound > compare(Wiener{.psf = psf}(gray), sharp).psnr);
  // The pseudo-inverse where some of the band is gone.
  const Image soft = Blur{.psf = psf, .border = Border::mirror}(noon());
  CHECK(gain("pseudo_inverse psf=gaussian:sigma=2 threshold=0.01", soft, noon()) > 4);
  // The residual of constrained least squares is the noise.
  const Image out = ConstrainedLeastSquares{.psf = psf, .by = WeightBy::discrepancy, .noise = 5.0F / 255}(blurred);
  const Image again = Blur{.psf = psf, .border = Border::mirror}(out);
  CHECK(std::sqrt(compare(again, blurred).mse) == doctest::Approx(5.0 / 255).epsilon(0.05));
}

TEST_CASE("Richardson-Lucy: never negative, the light kept, closer with every iteration, faster when accelerated") {
  const Kernel psf = Kernel::parse("motion:length=9,angle=20");
  const Image truth = to_gray(noon().view().part({100, 50, 200, 160})),
              blurred = Blur{.psf = psf, .border = Border::wrap}(truth);
  const auto run = [&](int iterations, bool accelerate) {
    return RichardsonLucy{
        .psf = psf, .iterations = iterations, .accelerate = accelerate, .noise = 0.0F, .border = Border::wrap}(blurred);
  };
  double before = compare(blurred, truth).psnr;
  for (const int n : {2, 8, 32}) {
    const Image u = run(n, false);
    CHECK(statistics(u)[0].minimum >= 0);
    CHECK(statistics(u)[0].mean == doctest::Approx(statistics(blurred)[0].mean).epsilon(1e-3));
    const double now = compare(u, truth).psnr;
    CHECK(now > before);
    before = now;
  }
  CHECK(compare(run(32, true), truth).psnr > before + 1);
  const Image even = map_samples(Image(40, 30), [](float) { return 0.3F; });
  CHECK(deviation(RichardsonLucy{.psf = psf, .iterations = 5, .noise = 0.0F}(even), even) < 1e-5);
  const Image grain = GaussianNoise{.deviation = 0.02F}(blurred);
  CHECK(
      compare(RichardsonLucy{.psf = psf, .iterations = 60, .smoothness = 0.01F, .noise = 0.0F, .border = Border::wrap}(
                  grain),
              truth)
          .psnr >
      compare(RichardsonLucy{.psf = psf, .iterations = 60, .noise = 0.0F, .border = Border::wrap}(grain), truth).psnr);
}

TEST_CASE("Richardson-Lucy: what is flat stays so beside the dark, however much noise is told of; nothing swings") {
  Image in = map_samples(Image(90, 60), [](float) { return 1.0F; });
  for (int y = 0; y < 60; ++y) std::fill_n(in.row(y), 40, 0.05F);
  const Image grain = GaussianNoise{.deviation = 1e-5F}(in);
  for (const bool accelerate : {false, true}) {
    for (const float told : {0.02F, 0.1F}) {
      CAPTURE(told);
      const Image out = RichardsonLucy{.accelerate = accelerate, .noise = told}(grain);
      CHECK(statistics(out.view().part({60, 10, 20, 40}))[0].deviation < 2e-5);
    }
  }
}

TEST_CASE("the pseudo-inverse where a band was weakened and a part of it zeroed") {
  // A PSF with the gain 0.02 + 0.98 cos^2 across: weak about half the highest frequency, and zero nowhere; then two
  // frequencies zeroed.
  const Image truth = to_gray(noon().view().part({0, 0, 512, 512}));
  const Kernel psf = Kernel::parse("0.245,0,0.51,0,0.245");
  Image weak = Blur{.psf = psf, .border = Border::wrap}(truth);
  weak = Chain::parse("notch points=0.25,0/0.2422,0.0117 width=0.01 form=ideal border=wrap")(weak);
  const double before = compare(weak, truth).psnr;
  const Image back = PseudoInverse{.psf = psf, .threshold = 0.01F, .border = Border::wrap}(weak);
  CHECK(compare(back, truth).psnr > before + 5);
  // A threshold above the weak band leaves it out.
  CHECK(compare(PseudoInverse{.psf = psf, .threshold = 0.5F, .border = Border::wrap}(weak), truth).psnr <
        compare(back, truth).psnr);
}

TEST_CASE("Wiener with a ratio for each frequency") {
  const Image in = noise(24, 18);
  const Kernel psf = Kernel::gaussian(1);
  Image even(9, 9);
  for (int y = 0; y < 9; ++y) std::fill_n(even.view().row(y), 9, 0.02F);
  CHECK(deviation(Wiener{.psf = psf, .ratios = SharedImage(even)}(in), Wiener{.psf = psf, .ratio = 0.02F}(in)) < 1e-6);
  CHECK_THROWS_AS((Wiener{.psf = psf, .ratios = SharedImage(Image(4, 4, 3))}(in)), InvalidArgument);
  even.at(0, 0) = -1;
  CHECK_THROWS_WITH_AS((Wiener{.psf = psf, .ratios = SharedImage(even)}(in)), doctest::Contains("0 or above"),
                       InvalidArgument);
  // One wave of amplitude 0.25: its ratio is s^2 / (n |F|^2) in its place, |F| = 0.125, spread over 5x5 places.
  Image wave(32, 32);
  for (int y = 0; y < 32; ++y) {
    for (int x = 0; x < 32; ++x)
      wave.at(x, y) = static_cast<float>(0.5 + 0.25 * std::cos(2 * std::numbers::pi * 8 * x / 32.0));
  }
  CHECK(noise_ratio(wave, 0.1).at(16 + 8, 16) == doctest::Approx(0.01 / 1024 / (0.125 * 0.125 / 25)).epsilon(0.01));
  CHECK_THROWS_AS(noise_ratio(wave, -1), InvalidArgument);
}

TEST_CASE("the weight of least squares: three ways, their curves, and what a result has to keep") {
  const Kernel psf = Kernel::disk(2);
  const Image truth = to_gray(noon().view().part({200, 100, 128, 128}));
  const Image blurred = GaussianNoise{.deviation = 0.02F, .seed = 5}(Blur{.psf = psf, .border = Border::mirror}(truth));
  const ConstrainedLeastSquares f{.psf = psf, .noise = 0.02F, .border = Border::mirror};
  const WeightCurve c = weight_curve(blurred, f);
  REQUIRE(c.weight.size() == c.residual.size());
  CHECK(std::is_sorted(c.residual.begin(), c.residual.end()));
  CHECK(std::is_sorted(c.roughness.rbegin(), c.roughness.rend()));
  CHECK(*std::min_element(c.score.begin(), c.score.end()) >= c.score[static_cast<std::size_t>(c.by_validation)] * 0.97);
  // The curve is that of the filter itself: residual and roughness measured on results.
  for (const std::size_t i : {std::size_t{30}, std::size_t{50}, std::size_t{60}}) {
    const Image u = ConstrainedLeastSquares{
        .psf = psf, .weight = static_cast<float>(c.weight[i]), .border = Border::mirror}(blurred);
    CHECK(std::sqrt(compare(Blur{.psf = psf, .border = Border::mirror}(u), blurred).mse) ==
          doctest::Approx(c.residual[i]).epsilon(0.01));
    const Image l = Convolve{.kernel = Kernel::parse("0,1,0/1,-4,1/0,1,0"), .border = Border::mirror}(u);
    CHECK(std::sqrt(compare(l, Image(l.shape())).mse) == doctest::Approx(c.roughness[i]).epsilon(0.01));
  }
  CHECK(c.residual[static_cast<std::size_t>(c.by_discrepancy)] == doctest::Approx(0.02).epsilon(0.05));
  const auto stages = Filter(f).stages(blurred);
  REQUIRE(stages.size() == 3);
  CHECK(stages[2].curves[0].chosen == c.by_corner);
  // Cross-validation comes near the best weight without being told the noise.
  double best = 0;
  for (double w = 1e-5; w < 10; w *= 1.5)
    best = std::max(best,
                    compare(ConstrainedLeastSquares{.psf = psf, .weight = static_cast<float>(w)}(blurred), truth).psnr);
  CHECK(compare(ConstrainedLeastSquares{.psf = psf}(blurred), truth).psnr > best - 0.5);
}

TEST_CASE("Landweber: iterations that lead to the inverse, its stop, its curve") {
  const Image in = noise(40, 30), blurred = Blur{.psf = Kernel::gaussian(0.6), .border = Border::mirror}(in);
  const auto off = [&](int n) {
    return deviation(
        Landweber{.psf = Kernel::gaussian(0.6), .iterations = n, .noise = 0.0F, .border = Border::mirror}(blurred), in);
  };
  CHECK(off(10) < off(1));
  CHECK(off(100000) < 1e-3);
  std::string notes;
  Watch watch;
  watch.on_note = [&](const std::string& line) { notes += line; };
  const Watch::Active active(watch);
  const Image grain = GaussianNoise{.deviation = 0.02F, .seed = 2}(blurred);
  const Image stopped = Landweber{.psf = Kernel::gaussian(0.6), .noise = 0.02F, .border = Border::mirror}(grain);
  CHECK(std::sqrt(compare(Blur{.psf = Kernel::gaussian(0.6), .border = Border::mirror}(stopped), grain).mse) <= 0.0201);
  CHECK(notes.find(" iterations, residual 0.0") != std::string::npos);
  const auto curve = Filter(Landweber{}).stages(grain)[0].curves[0];
  CHECK(std::is_sorted(curve.y.rbegin(), curve.y.rend()));
}

TEST_CASE("least variation: near the optimum of its objective, at the right weight, colors together, every border") {
  const Kernel psf = Kernel::gaussian(1);
  const Image truth(noon().view().part({200, 100, 64, 48}));
  const Image blurred = GaussianNoise{.deviation = 0.01F, .seed = 8}(Blur{.psf = psf, .border = Border::mirror}(truth));
  const double weight = 0.003;
  const auto objective = [&](const Image& u) {
    return variation_objective(u, Blur{.psf = psf, .border = Border::mirror}(u), blurred, weight);
  };
  const auto solved = [&](int n, float tolerance) {
    return TotalVariationDeconvolution{
        .psf = psf, .weight = static_cast<float>(weight), .tolerance = tolerance, .iterations = n}(blurred);
  };
  const double optimum = objective(solved(3000, 1e-6F));
  CHECK(objective(solved(100, 0.002F)) < 1.01 * optimum);
  CHECK(optimum < objective(blurred));
  // No step away from it makes it smaller.
  const Image best = solved(3000, 1e-6F), other = noise(64, 48, 3);
  for (const float step : {1e-3F, -1e-3F}) {
    CHECK(objective(map_pairs(best, other, [step](float a, float b) { return a + step * b; })) > optimum * 0.9999);
    CHECK(objective(map_pairs(best, truth, [step](float a, float b) { return a + step * b; })) > optimum * 0.9999);
  }
  // The automatic weight is nearly as good as the best.
  const Image scene = Gray{}(noon().view().part({180, 90, 192, 168}));
  for (const float grain : {0.004F, 0.01F}) {
    const Image seen =
        GaussianNoise{.deviation = grain, .seed = 8}(Blur{.psf = Kernel::disk(3), .border = Border::mirror}(scene));
    double most = 0;
    for (const float w : {0.03F, 0.06F, 0.1F, 0.2F, 0.4F, 0.8F})
      most = std::max(
          most, compare(TotalVariationDeconvolution{.psf = Kernel::disk(3), .weight = w * grain}(seen), scene).psnr);
    CHECK(compare(TotalVariationDeconvolution{.psf = Kernel::disk(3), .noise = grain}(seen), scene).psnr > most - 0.7);
  }
  // Motion, in a frame that repeats or is mirrored.
  const Kernel motion = Kernel::motion(7, 30);
  for (const Border border : {Border::mirror, Border::taper, Border::wrap}) {
    const Image shaken = GaussianNoise{.deviation = 0.01F, .seed = 8}(
        Blur{.psf = motion, .border = border == Border::wrap ? Border::wrap : Border::mirror}(truth));
    CHECK(compare(TotalVariationDeconvolution{.psf = motion, .border = border}(shaken), truth).psnr >
          compare(shaken, truth).psnr + (border == Border::wrap ? 1.5 : 0.5));
  }
  const Image even = map_samples(Image(20, 15), [](float) { return 0.4F; });
  CHECK(deviation(TotalVariationDeconvolution{}(even), even) < 1e-4);
  CHECK(TotalVariationDeconvolution{}(Image(1, 1)).width() == 1);
  CHECK_THROWS_AS(variation_objective(even, even, Image(3, 3), 1), InvalidArgument);
}

TEST_CASE("a picture that the PSF did not blur: who hands back noise says so, and nobody does where it fits") {
  const auto told = [](const std::string& chain, const Image& in) {
    Watch watch;
    std::string all;
    watch.on_note = [&](const std::string& line) { all += line; };
    const Watch::Active active(watch);
    (void)Chain::parse(chain)(in);
    return all.find("noise rules it") != std::string::npos || all.find("rules the result") != std::string::npos;
  };
  const Image sharp(noon().view().part({200, 100, 128, 96}));
  const Image blurred =
      GaussianNoise{.deviation = 0.005F}(Blur{.psf = Kernel::gaussian(1), .border = Border::mirror}(sharp));
  Image stars(96, 96);
  for (int i = 1; i < 6; ++i) stars.at(15 * i, 7 * i + 20) = static_cast<float>(i);
  const Image seen = GaussianNoise{.deviation = 0.002F}(Blur{.psf = Kernel::gaussian(1)}(stars));
  for (const char* filter : {"inverse", "pseudo_inverse", "landweber", "total_variation_deconvolution",
                             "constrained_least_squares", "wiener"}) {
    CAPTURE(std::string(filter));
    const std::string chain =
        std::string(filter) + " psf=gaussian:sigma=1" + (std::string(filter) == "inverse" ? " force=yes" : "");
    const bool regular = chain.starts_with("wiener") || chain.starts_with("constrained_least_squares");
    if (!regular) CHECK(told(chain, sharp));
    if (chain.starts_with("inverse")) continue;  // it hands back noise always
    CHECK_FALSE(told(chain, blurred));
    CHECK_FALSE(told(chain, seen));
  }
}

TEST_CASE("total variation deconvolution is the picture that another method finds, at every border and weight") {
  const Image truth = map_samples(noise(13, 11, 2), [](float v) { return std::clamp(v, 0.0F, 1.0F); }),
              color = map_samples(noise(9, 8, 3), [](float v) { return std::clamp(v, 0.0F, 1.0F); });
  const Kernel shaken(3, 3, {0.4, 0, 0, 0, 0.3, 0.1, 0, 0, 0.2});
  for (const auto& [psf, border] : {std::pair{Kernel::gaussian(1), Border::mirror},
                                    {shaken, Border::mirror},
                                    {shaken, Border::wrap},
                                    {Kernel::gaussian(0.7), Border::taper}}) {
    for (const double weight : {0.002, 0.02}) {
      for (const Image* sharp : {&truth, &color}) {
        // Colors go together in the same way at every border.
        if (sharp == &color && border != Border::mirror) continue;
        CAPTURE(weight);
        CAPTURE(psf.text());
        const Image in = Blur{.psf = psf, .border = Border::mirror}(*sharp);
        const Image fast = TotalVariationDeconvolution{
            .psf = psf, .weight = weight, .tolerance = 1e-6F, .iterations = 10000, .border = border}(in);
        // Both end within about 5e-5 of the optimum where they were held against each other at three times the steps.
        CHECK(deviation(fast, reference::total_variation_deconvolution(in, psf, weight, border, 1500)) < 2e-4);
      }
    }
  }
}

#ifdef RESTORATION_BENCH
TEST_CASE(
    "the bench on the demo view: defaults near the best settings, a denoiser above them, an error for no picture") {
  const test::Folder f;
  test::put(f / "noon.png", test::contents(test::noon_file));
  const std::string bench = std::string(RESTORATION_BENCH) + " " + f / "" + " --only motion";
  const auto r = test::run(bench);
  CHECK(r.code == 0);
  int filters = 0;
  for (auto at = r.out.find(" of its best"); at != std::string::npos; at = r.out.find(" of its best", at + 1)) {
    ++filters;
    CHECK(std::stod(r.out.substr(at - 5, 5)) > -0.5);
  }
  CHECK(filters == 4);
  const auto above = r.out.find(" above the best");
  REQUIRE(above != std::string::npos);
  CHECK(std::stod(r.out.substr(above - 5, 5)) > 0.5);
  test::put(f / "broken.png", "no picture");
  CHECK(test::run(bench).code == 1);
}
#endif
