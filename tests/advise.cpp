#include <nlohmann/json.hpp>

#include "sieve/diagnose/damage.hpp"

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::noon;

namespace {

// The gain of the first choice, and the best of many filters at many strengths.
double first_choice(const Image& damaged, const Image& clean) {
  const auto proposals = propose(measure_damage(damaged));
  REQUIRE(!proposals.empty());
  CAPTURE(proposals[0].chain.text());
  return compare(proposals[0].chain(damaged), clean).psnr;
}

double best_of(const Image& damaged, const Image& clean, const std::vector<std::string>& chains) {
  double best = 0;
  for (const std::string& c : chains) best = std::max(best, compare(Chain::parse(c)(damaged), clean).psnr);
  return best;
}

}  // namespace

TEST_CASE("each kind of noise is told apart, with its level") {
  CHECK(measure_damage(noon()).words() == "none");
  CHECK_FALSE(measure_damage(noon()).blurred);
  for (const float s : {0.03F, 0.1F}) {
    const Damage d = measure_damage(GaussianNoise{.deviation = s, .seed = 4}(noon()));
    CHECK(d.words() == "gaussian");
    CHECK(d.noise == doctest::Approx(s).epsilon(0.1));
  }
  for (const float photons : {40.0F, 200.0F}) {
    const Damage d = measure_damage(PoissonNoise{.photons = photons, .seed = 4}(noon()));
    CHECK(d.words() == "photon");
    CHECK(d.photons == doctest::Approx(photons).epsilon(0.35));
  }
  const Damage impulses = measure_damage(ImpulseNoise{.dark = 0.03F, .bright = 0.02F, .seed = 8}(noon()));
  CHECK(impulses.words() == "impulse");
  CHECK(impulses.impulses.dark == doctest::Approx(0.03).epsilon(0.25));
  CHECK(measure_damage(io::read(test::data + "/hum.png").image).words() == "periodic");
  const Damage both =
      measure_damage(ImpulseNoise{.dark = 0.02F, .bright = 0.02F}(GaussianNoise{.deviation = 0.05F}(noon())));
  CHECK(both.words() == "impulse and gaussian");
  CHECK(measure_damage(Image(40, 30)).words() == "none");
  CHECK(measure_damage(Image(1, 1)).words() == "none");
  for (const double sigma : {2.0, 3.0, 5.0}) {
    const Damage d = measure_damage(Gaussian{.sigma = static_cast<float>(sigma)}(noon()));
    CHECK(d.blurred);
    CHECK(d.blur == doctest::Approx(sigma).epsilon(0.2));
  }
  CHECK_THROWS_AS(measure_damage(Image()), InvalidArgument);
}

TEST_CASE("the first choice is within 1 dB of the best") {
  const auto grain = [](const std::string& s) {
    std::vector<std::string> all;
    for (const char* text : {"nonlocal_means patch=1 strength=0.7 noise=", "nonlocal_means patch=2 strength=0.5 noise=",
                             "block_matching noise=", "total_variation weight=", "wavelet_shrink rule=sure noise=",
                             "wavelet_shrink noise="})
      all.push_back(text + s);
    return all;
  };
  for (const char* s : {"0.03", "0.1", "0.2"}) {
    CAPTURE(std::string(s));
    const Image damaged = Chain::parse("gaussian_noise seed=6 deviation=" + std::string(s))(noon());
    CHECK(first_choice(damaged, noon()) > best_of(damaged, noon(), grain(s)) - 1);
    const Image gray = to_gray(noon()),
                gray_damaged = Chain::parse("gaussian_noise seed=6 deviation=" + std::string(s))(gray);
    CHECK(first_choice(gray_damaged, gray) > best_of(gray_damaged, gray, grain(s)) - 1);
  }
  const Image photons = PoissonNoise{.photons = 50, .seed = 2}(noon());
  CHECK(first_choice(photons, noon()) >
        best_of(photons, noon(),
                {"anscombe peak=50 then nonlocal_means patch=2 then inverse_anscombe peak=50", "nonlocal_means patch=2",
                 "total_variation"}) -
            1);
  const Image impulses = ImpulseNoise{.dark = 0.05F, .bright = 0.05F, .seed = 3}(noon());
  CHECK(first_choice(impulses, noon()) > best_of(impulses, noon(),
                                                 {"median", "median radius=2", "adaptive_median radius=2",
                                                  "adaptive_median radius=5", "alpha_trimmed_mean"}) -
                                             1);
  const Image hum = io::read(test::data + "/hum.png").image, dead = io::read(test::data + "/dead_pixels.png").image;
  CHECK(first_choice(hum, noon()) > 40);
  CHECK(first_choice(dead, noon()) >
        best_of(dead, noon(), {"median", "median radius=2", "adaptive_median radius=5", "adaptive_median least=0.2"}) -
            1);
  for (const char* name : {"out_of_focus", "shaken"}) {
    const Image soft = io::read(test::data + "/" + name + ".png").image;
    CHECK(first_choice(soft, noon()) > best_of(soft, noon(),
                                               {"unsharp sigma=3", "unsharp sigma=2 amount=2",
                                                "bounded_unsharp sigma=4 amount=2", "laplacian_sharpen"}) -
                                           1);
  }
  CHECK(compare(propose(measure_damage(noon()))[0].chain(noon()), noon()).psnr > 60);
}

TEST_CASE("advise on the tool: text, JSON, line-up, sheet; look shows transforms") {
  const test::Folder f;
  const std::string noisy = f / "noisy.pfm";
  REQUIRE(test::lsieve("apply " + test::data + "/noon.png " + noisy + " gaussian_noise deviation=0.06 seed=2").code ==
          0);
  const auto text = test::lsieve("advise " + noisy);
  CHECK(text.code == 0);
  CHECK(text.out.find("noise: gaussian") != std::string::npos);
  CHECK(text.out.find("1. block_matching") != std::string::npos);
  CHECK(text.out.find("PSNR") == std::string::npos);
  const json j = json::parse(
      test::lsieve("advise " + noisy + " --truth " + test::data + "/noon.png --json --sheet " + (f / "advice.png"))
          .out);
  CHECK(j["kind"] == "gaussian");
  CHECK(j["photons"].is_null());
  REQUIRE(j["proposals"].size() == 4);
  CHECK(j["proposals"][0]["result"]["psnr"] > 30);
  CHECK(io::read(f / "advice.png").image.width() == 1280);
  CHECK(test::lsieve("advise " + noisy + " --lineup").out.find("noise left") != std::string::npos);
  CHECK(test::lsieve("advise " + (f / "none.png")).code == 1);

  const auto look = test::lsieve(
      "look " + test::data + "/hum.png --spectrum --taper periodic --probe 384,256 --sheet " + (f / "spectrum.png"));
  CHECK(look.code == 0);
  CHECK(look.out.find("interference: period 7.30 pixels at 78.0 degrees") != std::string::npos);
  CHECK(look.out.find("constant") != std::string::npos);
  CHECK(io::read(f / "spectrum.png").image.height() >= 800);
  const json s =
      json::parse(test::lsieve("look " + test::data +
                               "/hum.png --spectrum --probe 406,325 --cosine 8 --wavelet 9/7 --levels 3 --json")
                      .out)["transforms"];
  CHECK(s["spectrum"]["interference"].size() == 2);
  CHECK(s["spectrum"]["probes"][0]["u"] == 22);
  CHECK(s["spectrum"]["probes"][0]["v"] == 69);
  CHECK(s["spectrum"]["zero_frequency"] == doctest::Approx(0.5076).epsilon(1e-3));
  CHECK(s["spectrum"]["radial_power"].size() == 64);
  CHECK(s["wavelet"]["bands"].size() == 10);
  CHECK(s["cosine"]["block"] == 8);
  CHECK(s["cosine"]["slow_share"] > 0.9);
  for (const char* wrong : {"--taper none2 --spectrum", "--wavelet daubechies99", "--probe 5", "--probe 9999,0",
                            "--cosine -3", "--levels 0"}) {
    CAPTURE(std::string(wrong));
    const auto bad = test::lsieve("look " + test::data + "/hum.png " + wrong);
    CHECK(bad.code == 2);
    CHECK(bad.err.size() > 10);
  }
}

TEST_CASE("the gray chart: one smear becomes four peaks, edges stay steep") {
  const Image chart = io::read(test::data + "/chart.png").image;
  // The deepest valley between the first two grays, in parts of their lower peak.
  const auto valley = [](const Image& v) {
    const auto counts = histogram(v, {.channel = 0, .bins = 64}).counts;  // grays at 0.26 and 0.42: bins 16 and 26
    const auto most = [&](std::size_t from, std::size_t to) {
      return *std::max_element(counts.begin() + static_cast<std::ptrdiff_t>(from),
                               counts.begin() + static_cast<std::ptrdiff_t>(to));
    };
    return static_cast<double>(*std::min_element(counts.begin() + 17, counts.begin() + 26)) /
           static_cast<double>(std::min(most(12, 20), most(22, 30)));
  };
  CHECK(valley(chart) > 0.4);
  for (const char* text : {"nonlocal_means", "total_variation", "wavelet_shrink"}) {
    CAPTURE(std::string(text));
    const Image out = Chain::parse(text)(chart);
    const auto peaks = histogram_peaks(histogram(out, {.channel = 0}));
    REQUIRE(peaks.size() == 4);
    CHECK(valley(out) < 0.05);
    for (std::size_t i = 0; i < 4; ++i)
      CHECK(peaks[i].level == doctest::Approx(0.26 + 0.16 * static_cast<double>(i)).epsilon(0.05));
    // The step between the first two grays takes few pixels, on the mean over the rows.
    const auto column = [&](int x) { return statistics(out.view().part({x, 0, 1, 256}))[0].mean; };
    CHECK(column(92) < 0.28);
    CHECK(column(99) > 0.40);
    CHECK(column(97) - column(94) > 0.06);
  }
  const test::Folder f;
  const auto applied =
      test::lsieve("apply " + test::data + "/chart.png " + (f / "c.png") + " total_variation --sheet " + (f / "s.png"));
  CHECK(applied.code == 0);
  CHECK(io::read(f / "s.png").image.width() == 1280);
}

TEST_CASE("binomial and disk mean: plain sums, known weights, sizes") {
  Image one(9, 9);
  one.at(4, 4) = 1;
  const Image b = Binomial{.radius = 2}(one);
  const double row[5] = {1 / 16.0, 4 / 16.0, 6 / 16.0, 4 / 16.0, 1 / 16.0};
  for (int y = -2; y <= 2; ++y) {
    for (int x = -2; x <= 2; ++x)
      CHECK(static_cast<double>(b.at(4 + x, 4 + y)) == doctest::Approx(row[x + 2] * row[y + 2]));
  }
  const Image d = DiskMean{.radius = 2.3F}(one);
  int inside = 0;
  for (int y = -4; y <= 4; ++y) {
    for (int x = -4; x <= 4; ++x) {
      const bool in = x * x + y * y <= 2.3 * 2.3;
      inside += in;
      CHECK((d.at(4 + x, 4 + y) > 0) == in);
    }
  }
  CHECK(static_cast<double>(d.at(4, 4)) == doctest::Approx(1.0 / inside));
  // The highest frequency is gone, and a wide binomial is a Gaussian.
  Image stripes(20, 20);
  for (int y = 0; y < 20; ++y) {
    for (int x = 0; x < 20; ++x) stripes.at(x, y) = static_cast<float>(x % 2);
  }
  CHECK(test::deviation(Binomial{}(stripes).view().part({1, 0, 18, 20}),
                        map_samples(Image(18, 20), [](float) { return 0.5F; })) < 1e-6);
  CHECK(test::deviation(Binomial{.radius = 18}(noon()), Gaussian{.sigma = 3}(noon())) < 0.01);
  for (const char* text :
       {"binomial radius=3 border=inside", "disk_mean radius=0", "disk_mean radius=7.5 border=reflect",
        "binomial radius=0", "disk_mean radius=20 border=constant fill=0.3"}) {
    CAPTURE(std::string(text));
    const Chain f = Chain::parse(text);
    const Image in = test::noise(61, 47, 3);
    test::check_as_defined(f, in);
  }
  CHECK_THROWS_AS(Binomial{.radius = 101}(one), InvalidArgument);
  CHECK_THROWS_AS(DiskMean{.radius = -1}(one), InvalidArgument);
}

TEST_CASE("wavelet shrinkage: gains, rules, spinning, what must not change") {
  const Image grain = GaussianNoise{.deviation = 25.0F / 255, .seed = 7}(noon());
  const double before = compare(grain, noon()).psnr;
  const auto gain = [&](const std::string& text) {
    return compare(Chain::parse("wavelet_shrink " + text)(grain), noon()).psnr - before;
  };
  CHECK(gain("") > 6);
  CHECK(gain("rule=sure") > 6);
  CHECK(gain("wavelet=haar rule=universal shrink=hard strength=0.6") > 6);
  CHECK(gain("wavelet=9/7") > 6);
  CHECK(gain("undecimated=no shifts=3") > gain("undecimated=no") + 0.5);
  CHECK(gain("") > gain("undecimated=no") + 0.5);
  const Image even = map_samples(Image(50, 41, 3), [](float) { return 0.4F; });
  for (const char* text : {"wavelet_shrink", "wavelet_shrink rule=sure wavelet=coiflet2",
                           "wavelet_shrink rule=universal shrink=hard noise=0.1 wavelet=5/3",
                           "wavelet_shrink undecimated=no shifts=2 wavelet=symlet6"}) {
    CAPTURE(std::string(text));
    CHECK(test::deviation(Chain::parse(text)(even), even) < 1e-5);
  }
  CHECK(test::deviation(WaveletShrink{.strength = 0}(grain), grain) < 1e-5);
  Image broken = test::noise(40, 30);
  broken.at(5, 6) = std::nanf("");
  const Image after = WaveletShrink{}(broken);
  CHECK(std::isnan(after.at(5, 6)));
  CHECK(std::isfinite(after.at(6, 6)));
  CHECK_THROWS_AS(WaveletShrink{.shifts = 2}(grain), InvalidArgument);
  CHECK_THROWS_AS(WaveletShrink{.levels = 0}(grain), InvalidArgument);
  Watch watch;
  watch.stop();
  const Watch::Active active(watch);
  CHECK_THROWS_AS(WaveletShrink{}(grain), Canceled);
}
