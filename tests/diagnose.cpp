#include "sieve/diagnose.hpp"

#include <nlohmann/json.hpp>
#include <numbers>

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::noon;

namespace {

Image demo(const std::string& name) { return io::read(test::data + "/" + name).image; }

// The troubles that are told with a confidence of a half and more, in words with commas.
std::string troubles(const Image& in) {
  std::string all;
  for (const Finding& f : diagnose(in).findings) {
    CHECK(f.confidence <= 1);
    CHECK(!f.evidence.empty());
    if (f.confidence >= 0.5) all += (all.empty() ? "" : ", ") + std::string(name_of(f.trouble));
  }
  return all;
}

// What the first choice leaves.
double first_choice(const Image& damaged, const Image& clean) {
  const Diagnosis d = diagnose(damaged);
  REQUIRE(!d.proposals.empty());
  CAPTURE(d.proposals[0].chain.text());
  return compare(d.proposals[0].chain(damaged), clean).psnr;
}

double best_of(const Image& damaged, const Image& clean, const std::vector<std::string>& chains) {
  double best = 0;
  for (const std::string& c : chains) best = std::max(best, compare(Chain::parse(c)(damaged), clean).psnr);
  return best;
}

Image made(const std::string& chain, const Image& in) { return Chain::parse(chain)(in); }

}  // namespace

TEST_CASE("each trouble is told apart, with its size; a good picture has none") {
  CHECK(troubles(noon()).empty());
  CHECK(troubles(to_gray(noon())).empty());
  CHECK(diagnose(noon()).proposals.empty());
  for (const float s : {0.03F, 0.1F}) {
    const Diagnosis d = diagnose(GaussianNoise{.deviation = s, .seed = 4}(noon()));
    REQUIRE(d.find(Trouble::grain) != nullptr);
    CHECK(d.find(Trouble::grain)->figure == doctest::Approx(s).epsilon(0.1));
    CHECK(d.find(Trouble::photon_grain) == nullptr);
  }
  for (const float photons : {40.0F, 200.0F}) {
    const Diagnosis d = diagnose(PoissonNoise{.photons = photons, .seed = 4}(noon()));
    REQUIRE(d.find(Trouble::photon_grain) != nullptr);
    CHECK(d.find(Trouble::photon_grain)->figure == doctest::Approx(photons).epsilon(0.35));
  }
  const Diagnosis impulses = diagnose(ImpulseNoise{.dark = 0.03F, .bright = 0.02F, .seed = 8}(noon()));
  REQUIRE(impulses.find(Trouble::impulses) != nullptr);
  CHECK(impulses.impulses.dark == doctest::Approx(0.03).epsilon(0.25));
  CHECK(impulses.proposals[0].chain.text().starts_with("adaptive_median"));
  CHECK(impulses.leave[0].chain.text() == "gaussian");
  const std::string grain = " then gaussian_noise deviation=0.01";
  for (const auto& [chain, found] : {std::pair<std::string, const char*>{"dead_lines share=0.01", "dead lines"},
                                     {"dead_lines along=rows level=1 share=0.01", "dead lines"},
                                     {"gaussian_noise sigma=0.8 deviation=0.06", "coarse grain"},
                                     {"blur psf=gaussian:sigma=2" + grain, "blur"},
                                     {"blur psf=disk:radius=3.5" + grain, "blur"},
                                     {"blur psf=motion:length=12,angle=70" + grain, "blur"},
                                     {"contrast factor=0.4", "exposure"},
                                     {"gain factor=0.3", "exposure"},
                                     {"gamma exponent=3.5", "exposure"},
                                     {"gain factor=3 then clip", "clipping"},
                                     {"quantize bits=4", "few levels"}}) {
    CAPTURE(chain);
    std::vector<std::uint8_t> bytes(noon().shape().samples());
    (void)to_interleaved(made(chain, noon()), bytes.data());
    const std::string all = troubles(from_interleaved(bytes.data(), noon().width(), noon().height(), 3));
    CAPTURE(all);
    CHECK(all.find(found) != std::string::npos);
  }
  for (const int quality : {20, 10}) {
    const auto bytes = io::encode(io::Format::jpeg, noon(), {.quality = quality});
    CHECK(troubles(io::decode(bytes.data(), bytes.size(), "noon.jpg").image).find("blocks") != std::string::npos);
  }
  // Several at once, in the order in which to mend them.
  const Diagnosis both =
      diagnose(made("gain factor=0.4 then gaussian_noise deviation=0.05 then impulse_noise", noon()));
  const std::string chain = both.proposals[0].chain.text();
  CHECK(chain.find("adaptive_median then ") == 0);
  CHECK(chain.find("block_matching") < chain.find("then stretch"));
  CHECK(std::is_sorted(both.findings.begin(), both.findings.end(),
                       [](const Finding& a, const Finding& b) { return a.trouble < b.trouble; }));
}

TEST_CASE("diagnosis of the demo pictures; exposure and diagnosis are one judgement; odd pictures are no trouble") {
  CHECK(troubles(demo("hum.png")) == "periodic noise");
  CHECK(troubles(demo("lamp.png")) == "uneven light");
  CHECK(troubles(demo("fog.png")) == "exposure");
  CHECK(troubles(demo("night.png")) == "grain, exposure");
  CHECK(troubles(demo("shaken.png")) == "blur");
  CHECK(troubles(demo("out_of_focus.png")) == "blur");
  CHECK(troubles(demo("dead_pixels.png")) == "dead lines, impulses");
  CHECK(troubles(demo("chart.png")).find("uneven light") == std::string::npos);
  for (const char* name : {"noon.png", "fog.png", "night.png", "underexposed.png", "lamp_flat.png"}) {
    CAPTURE(std::string(name));
    const Image in = demo(name);
    const Diagnosis d = diagnose(in);
    const bool mended = d.find(Trouble::exposure) != nullptr;
    CHECK(mended == (d.exposure.verdict != ExposureVerdict::balanced));
    CHECK(mended == (test::deviation(AutoExposure{}(in), in) > 0));
    // The same chain as the filter, but for digits.
    if (mended && d.proposals[0].chain.steps().size() == 1)
      CHECK(test::deviation(d.proposals[0].chain(in), AutoExposure{}(in)) < 1e-3);
  }
  for (const Image& odd : {Image(1, 1), Image(40, 30), Image(3, 40, 4), test::noise(2, 2), test::noise(70, 5, 2),
                           map_samples(Image(5, 5), [](float) { return std::nanf(""); })}) {
    CAPTURE(odd.width());
    for (const Proposal& p : diagnose(odd).proposals) CHECK_NOTHROW((void)p.chain(odd));
  }
  Image broken = noon();
  for (int i = 0; i < 50; ++i) broken.at(300 + i % 7, 200 + i, i % 3) = i % 2 == 0 ? std::nanf("") : 1 / 0.0F;
  CHECK(diagnose(broken).proposals.empty());
  // Large pictures are judged by parts.
  const Image large = Pad{.right = 2 * 768, .bottom = 2 * 512, .border = Border::wrap}(noon());
  CHECK(diagnose(GaussianNoise{.deviation = 0.05F}(large)).find(Trouble::grain)->figure ==
        doctest::Approx(0.05).epsilon(0.1));
  CHECK_THROWS_AS((void)diagnose(Image()), InvalidArgument);
}

#ifdef DIAGNOSIS_BENCH
TEST_CASE(
    "the bench on the demo view: what is found of every trouble, no false alarm, an error for what is no picture") {
  const test::Folder f;
  test::put(f / "noon.png", test::contents(test::noon_file));
  const std::string bench = std::string(DIAGNOSIS_BENCH) + " " + f / "" + " --side 384 --no-gains";
  const auto r = test::run(bench);
  CHECK(r.code == 0);
  CHECK(r.out.find("1 good pictures: 0 with a proposal; false alarms:\n") == 0);
  const auto found = [&](const std::string& damage) {
    const auto at = r.out.find("\n" + damage + " ");
    REQUIRE(at != std::string::npos);
    return std::stoi(r.out.substr(at + 16, 6));
  };
  for (const char* all : {"dead_lines", "impulse_noise", "periodic_noise", "gaussian_noise", "coarse noise", "gaussian",
                          "disk", "motion", "dark", "low contrast", "few levels"}) {
    CAPTURE(std::string(all));
    CHECK(found(all) == 100);
  }
  CHECK(found("jpeg") >= 66);
  // A scene is no page.
  CHECK(found("vignette") == 0);
  CHECK(r.out.find("kind 100 %, size of those 100 %") != std::string::npos);
  CHECK(test::run(bench + " --only dark").out.find("unsharp") == std::string::npos);
  test::put(f / "broken.png", "no picture");
  CHECK(test::run(bench).code == 1);
}
#endif

TEST_CASE("evidence: what is drawn of a diagnosis is what it rests on") {
  const Evidence clean = evidence(noon()), shaken = evidence(io::read(test::data + "/shaken.png").image);
  // Rising from the dark side to the bright, slower where blurred.
  REQUIRE(clean.edge.size() == clean.distance.size());
  const auto middle = clean.edge.size() / 2;
  CHECK(clean.distance[middle] == 0);
  CHECK(std::abs(clean.edge.front()) < 0.1);
  CHECK(std::abs(clean.edge.back() - 1) < 0.1);
  CHECK(clean.edge[middle + 2] - clean.edge[middle - 2] > 1.5 * (shaken.edge[middle + 2] - shaken.edge[middle - 2]));
  // The darkest place beyond the nearest neighbors is the motion: 16 pixels at 25 degrees.
  const int reach = shaken.cepstrum.width() / 2;
  int bx = 0, by = 0;
  float darkest = 1;
  for (int y = -reach; y <= 0; ++y) {
    for (int x = 4; x < 20; ++x) {
      if (const float v = shaken.cepstrum.at(x + reach, y + reach); v < darkest) darkest = v, bx = x, by = y;
    }
  }
  CHECK(std::hypot(bx, by) == doctest::Approx(15).epsilon(0.1));
  CHECK(std::atan2(-by, bx) * 180 / std::numbers::pi == doctest::Approx(25).epsilon(0.15));
  // Photons: the square of the deviation is level / photons; even grain is the same everywhere.
  const Evidence photons = evidence(PoissonNoise{.photons = 100, .seed = 4}(to_gray(noon()))),
                 even = evidence(GaussianNoise{.deviation = 0.08F, .seed = 4}(to_gray(noon())));
  REQUIRE(photons.noise.size() > 8);
  for (std::size_t i = 0; i < photons.noise.size(); ++i)
    CHECK(photons.noise[i] == doctest::Approx(std::sqrt(photons.level[i] / 100)).epsilon(0.2));
  for (const double s : even.noise) CHECK(s == doctest::Approx(0.08).epsilon(0.1));
  CHECK(clean.spectrum.width() == noon().width());
  // Little or nothing to see.
  const Evidence none = evidence(Image(7, 9, 3));
  CHECK(none.edge.empty());
  CHECK(none.noise.empty());
  CHECK(none.cepstrum.empty());
  CHECK(none.spectrum.height() == 9);
  CHECK_THROWS_AS((void)evidence(Image()), InvalidArgument);
  const test::Folder f;
  CHECK(test::lsieve("advise " + test::data + "/hum.png --evidence " + (f / "why.png")).code == 0);
  CHECK(io::read(f / "why.png").image.width() == 1280);
  CHECK(test::lsieve("advise " + test::data + "/hum.png --evidence " + (f / "why.jpg")).code == 2);
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
  const Image clean(noon().view().part({200, 90, 400, 300}));
  for (const char* s : {"0.03", "0.1", "0.2"}) {
    CAPTURE(std::string(s));
    const Image damaged = Chain::parse("gaussian_noise seed=6 deviation=" + std::string(s))(clean);
    CHECK(first_choice(damaged, clean) > best_of(damaged, clean, grain(s)) - 1);
    const Image gray = to_gray(clean),
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
}

TEST_CASE("advise on the tool: text, JSON, line-up, sheet; look shows transforms") {
  const test::Folder f;
  const std::string noisy = f / "noisy.pfm";
  REQUIRE(test::lsieve("apply " + test::data + "/noon.png " + noisy + " gaussian_noise deviation=0.06 seed=2").code ==
          0);
  const auto text = test::lsieve("advise " + noisy);
  CHECK(text.code == 0);
  CHECK(text.out.find("grain, confidence 1.00: flat parts") != std::string::npos);
  CHECK(text.out.find("1. block_matching") != std::string::npos);
  CHECK(text.out.find("PSNR") == std::string::npos);
  CHECK(test::lsieve("advise " + test::data + "/noon.png").out.find("leave it as it is") != std::string::npos);
  CHECK(json::parse(test::lsieve("advise --json " + test::data + "/noon.png").out)["proposals"].empty());
  const json j = json::parse(
      test::lsieve("advise " + noisy + " --truth " + test::data + "/noon.png --json --sheet " + (f / "advice.png"))
          .out);
  CHECK(j["findings"][0]["trouble"] == "grain");
  CHECK(j["findings"][0]["figure"] == doctest::Approx(0.06).epsilon(0.1));
  CHECK(j["proposals"][0]["gain"] > 5);
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
  CHECK(io::read(f / "spectrum.png").image.width() == 1280);
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
