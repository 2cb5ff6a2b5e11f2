#include "sieve/restore/find_psf.hpp"

#include <nlohmann/json.hpp>
#include <numbers>

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::noon;

namespace {

// A straight edge through the middle, leaning by `slope` pixels a row, blurred and with grain.
Image edge(const std::string& psf, double slope, bool lying, float grain, bool falling = false) {
  Image e(lying ? 80 : 96, lying ? 96 : 80);
  for (int y = 0; y < e.height(); ++y) {
    for (int x = 0; x < e.width(); ++x) {
      double share = 0;
      for (int i = 0; i < 64; ++i) {
        const double px = x + (i % 8 + 0.5) / 8, py = y + (i / 8 + 0.5) / 8;
        share += lying ? py - 48 - slope * (px - 40) > 0 : px - 48 - slope * (py - 40) > 0;
      }
      e.at(x, y) = static_cast<float>(0.2 + 0.6 * (falling ? 1 - share / 64 : share / 64));
    }
  }
  return GaussianNoise{.deviation = grain, .seed = 5}(Blur{.psf = Kernel::parse(psf)}(e));
}

}  // namespace

TEST_CASE("a slanted edge gives family and size of the PSF") {
  for (const auto& [spec, family, size] : {std::tuple{"gaussian:sigma=1.5", "gaussian", 1.5},
                                           {"gaussian:sigma=3", "gaussian", 3.0},
                                           {"disk:radius=4", "disk", 4.0},
                                           {"disk:radius=6", "disk", 6.0}}) {
    for (const bool lying : {false, true}) {
      CAPTURE(std::string(spec));
      CAPTURE(lying);
      const FoundPsf f = psf_from_edge(edge(spec, 0.09, lying, 0.01F, lying),
                                       lying ? Rectangle{8, 12, 60, 70} : Rectangle{12, 8, 70, 60});
      CHECK(f.family == family);
      CHECK(f.size == doctest::Approx(size).epsilon(0.05));
      CHECK(f.confidence > 0.8);
      CHECK(f.profile.size() == f.fitted.size());
      CHECK(Kernel::parse(f.psf.text()).sum() == doctest::Approx(1));
    }
  }
  CHECK(psf_from_edge(edge("gaussian:sigma=1.5", 0, false, 0), {12, 8, 70, 60}).reason.find("2 to 10 are better") !=
        std::string::npos);
  for (const Rectangle part : {Rectangle{0, 0, 8, 8}, Rectangle{60, 0, 40, 40}, Rectangle{-1, 0, 20, 20}})
    CHECK_THROWS_AS(psf_from_edge(edge("gaussian:sigma=1", 0.1, false, 0), part), InvalidArgument);
  CHECK_THROWS_AS(psf_from_edge(Image(40, 40), {0, 0, 40, 40}), InvalidArgument);
  const Image faint = map_samples(edge("gaussian:sigma=1", 0.1, false, 0), [](float v) { return 0.4F + 0.01F * v; });
  CHECK_THROWS_WITH_AS(psf_from_edge(faint, {12, 8, 70, 60}), doctest::Contains("more contrast"), InvalidArgument);
}

TEST_CASE("a point gives the PSF as it is seen") {
  const Kernel psf = Kernel::parse("motion:length=7,angle=35");
  Image dark(60, 50);
  dark = map_samples(dark, [](float) { return 0.1F; });
  dark.at(31, 24) = 6;
  const Image seen = GaussianNoise{.deviation = 0.002F, .seed = 3}(Blur{.psf = psf}(dark));
  const FoundPsf f = psf_from_point(seen, 30, 25, 9);
  CHECK(f.confidence > 0.9);
  CHECK(f.psf.sum() == doctest::Approx(1));
  for (int y = 0; y < psf.height(); ++y) {
    for (int x = 0; x < psf.width(); ++x)
      CHECK(std::abs(f.psf.at(f.psf.anchor_x() + x - psf.anchor_x(), f.psf.anchor_y() + y - psf.anchor_y()) -
                     psf.at(x, y)) < 0.01);
  }
  CHECK_THROWS_WITH_AS(psf_from_point(seen, 10, 10, 5), doctest::Contains("nothing stands out"), InvalidArgument);
  CHECK_THROWS_AS(psf_from_point(seen, 3, 25, 9), InvalidArgument);
  CHECK_THROWS_AS(psf_from_point(seen, 30, 25, 0), InvalidArgument);
  const FoundPsf cut =
      psf_from_point(Clip{}(Blur{.psf = psf}(map_samples(dark, [](float v) { return 3 * v; }))), 31, 24, 9);
  CHECK(cut.reason.find("cut off") != std::string::npos);
  CHECK(cut.confidence < 0.5);
}

TEST_CASE("length and angle of a motion from the cepstrum, and no motion where there is none") {
  for (const auto& [length, angle] :
       {std::pair{9.0, 20.0}, {16.0, 25.0}, {25.0, 110.0}, {12.0, 0.0}, {20.0, 90.0}, {30.0, 150.0}}) {
    CAPTURE(length);
    CAPTURE(angle);
    const FoundPsf f = psf_from_motion(Blur{.psf = Kernel::motion(length, angle)}(noon()));
    CHECK(f.size == doctest::Approx(length).epsilon(0.06));
    const double off = std::abs(f.angle - angle);
    CHECK(std::min(off, 180 - off) < 3);
    CHECK(f.confidence > 0.7);
  }
  CHECK(psf_from_motion(noon()).confidence < 0.2);
  CHECK(psf_from_motion(Gaussian{.sigma = 2}(noon())).confidence < 0.5);
  CHECK(psf_from_motion(test::noise(128, 128)).confidence < 0.5);
  CHECK(psf_from_motion(Image(64, 64)).confidence < 0.5);
  CHECK_THROWS_AS(psf_from_motion(Image(63, 100)), InvalidArgument);
}

TEST_CASE("blind: the sigma of a Gaussian blur, and doubt where the picture is sharp") {
  for (const double sigma : {1.5, 2.0, 3.0}) {
    CAPTURE(sigma);
    const FoundPsf f = psf_blind(Blur{.psf = Kernel::gaussian(sigma), .border = Border::mirror}(noon()));
    CHECK(f.size == doctest::Approx(sigma).epsilon(0.15));
    CHECK(f.confidence > 0.5);
  }
  CHECK(psf_blind(noon()).confidence < 0.2);
  CHECK(psf_blind(Image(40, 40)).confidence == 0);
  CHECK_THROWS_AS(psf_blind(Image(20, 40)), InvalidArgument);
}

TEST_CASE("by the spectrum: the kind of blur and its size come first, with and without grain, in gray and color") {
  const auto of = [](const char* psf) { return Blur{.psf = Kernel::parse(psf)}(noon()); };
  for (const auto& [psf, family, size, angle] : {std::tuple{"gaussian:sigma=1.5", "gaussian", 1.5, 0.0},
                                                 {"gaussian:sigma=2.5", "gaussian", 2.5, 0.0},
                                                 {"disk:radius=2.5", "disk", 2.5, 0.0},
                                                 {"disk:radius=4", "disk", 4.0, 0.0},
                                                 {"motion:length=9,angle=20", "motion", 9.0, 20.0},
                                                 {"motion:length=16,angle=110", "motion", 16.0, 110.0}}) {
    CAPTURE(std::string(psf));
    for (const Image& seen : {of(psf), GaussianNoise{.deviation = 0.01F}(of(psf)), to_gray(of(psf))}) {
      const std::vector<FoundPsf> all = psf_by_spectrum(seen);
      REQUIRE(all.size() == 4);
      CHECK(all[0].family == family);
      CHECK(all[0].size == doctest::Approx(size).epsilon(0.11));
      CHECK(std::abs(all[0].angle - angle) < 3);
      CHECK(all[0].confidence > 0.6);
      CHECK(all[0].confidence + all[1].confidence + all[2].confidence + all[3].confidence == doctest::Approx(1));
    }
  }
  CHECK(psf_by_spectrum(noon())[0].family == "none");
  // Nothing to tell by: no kind is sure.
  CHECK(psf_by_spectrum(test::noise(128, 128))[0].confidence < 0.7);
  CHECK(psf_by_spectrum(Image(64, 64))[0].confidence < 0.7);
  CHECK_THROWS_AS((void)psf_by_spectrum(Image(63, 100)), InvalidArgument);
}

namespace {

// A shake that turns about: a path of points, each a pixel wide, of sum 1.
Kernel shake() {
  Image path(11, 11);
  double x = 2, y = 1;
  for (int i = 0; i < 200; ++i) {
    x += 0.045 * std::cos(0.8 + i / 80.0);
    y += 0.045 * std::sin(0.8 + i / 80.0);
    path.at(static_cast<int>(x), static_cast<int>(y)) += 1;
  }
  return Kernel::of_picture(path);
}

// How alike two PSFs are, the one moved to where it fits best: 1 where they are the same.
double likeness(const Kernel& a, const Kernel& b) {
  double best = 0, length_a = 0, length_b = 0;
  for (const double v : a.taps()) length_a += v * v;
  for (const double v : b.taps()) length_b += v * v;
  for (int dy = -8; dy <= 8; ++dy) {
    for (int dx = -8; dx <= 8; ++dx) {
      double sum = 0;
      for (int y = 0; y < a.height(); ++y) {
        for (int x = 0; x < a.width(); ++x) {
          const int i = x + dx, j = y + dy;
          if (i >= 0 && j >= 0 && i < b.width() && j < b.height()) sum += a.at(x, y) * b.at(i, j);
        }
      }
      best = std::max(best, sum);
    }
  }
  return best / std::sqrt(length_a * length_b);
}

}  // namespace

TEST_CASE("free: the weights of a shake that is not straight, from the edges of the picture") {
  const Kernel true_psf = shake();
  const Image blurred = GaussianNoise{.deviation = 0.005F, .seed = 4}(Blur{.psf = true_psf}(noon()));
  const FoundPsf f = psf_free(blurred, 15);
  CHECK(f.family == "free");
  CHECK(f.confidence > 0.8);
  CHECK(f.psf.sum() == doctest::Approx(1));
  CHECK(*std::min_element(f.psf.taps().begin(), f.psf.taps().end()) >= 0);
  CHECK(likeness(true_psf, f.psf) > 0.8);
  // Turned about it is another one: that is told.
  CHECK(likeness(true_psf.turned(), f.psf) < likeness(true_psf, f.psf) - 0.05);
  // A size of one's own beyond the shake changes little.
  CHECK(likeness(true_psf, psf_free(blurred, 21).psf) > 0.75);
  // Nothing to see it by.
  CHECK(psf_free(Image(96, 96), 5).psf.at(2, 2) == 1);
  CHECK(psf_free(Image(96, 96), 5).confidence < 0.01);
  CHECK(psf_free(noon(), 13).confidence < 0.1);
  CHECK_THROWS_WITH_AS((void)psf_free(noon(), 12), "psf_free: size=12: allowed are odd numbers of 3 to 99",
                       InvalidArgument);
  CHECK_THROWS_AS((void)psf_free(Image(100, 80), 31), InvalidArgument);
  const test::Folder folder;
  (void)io::write(folder / "blurred.pfm", blurred, {});
  const auto told = test::lsieve("find-psf " + (folder / "blurred.pfm") + " --free 15 --into " + (folder / "k.txt"));
  CHECK(told.code == 0);
  CHECK(told.out.starts_with("15x15 weights, confidence 0.8"));
  const Kernel read =
      Kernel::parse("@" + (folder / "k.txt"), {{}, [](const std::string& name) { return io::read_text(name); }});
  CHECK(likeness(read, f.psf) == doctest::Approx(1));
  // A straight one, which lies where it was: what is restored with it is compared as it is.
  const Image seen = io::read(test::data + "/shaken.png").image;
  const Image better =
      TotalVariationDeconvolution{.psf = psf_free(seen, 21).psf, .noise = 0.005F, .border = Border::taper}(seen);
  CHECK(compare(better, noon()).psnr > compare(seen, noon()).psnr + 2);
}

TEST_CASE("what blurred a picture does not hang on its scale, however far from 0..1 its samples are") {
  const Image blurred = Blur{.psf = Kernel::gaussian(2)}(noon().view().part({40, 40, 160, 120}));
  for (const float scale : {1e-30F, 1e10F, 1e28F, 1e36F}) {
    CAPTURE(scale);
    const Image scaled = map_samples(blurred, [scale](float v) { return v * scale; });
    CHECK(psf_by_spectrum(scaled)[0].psf.text() == psf_by_spectrum(blurred)[0].psf.text());
    auto all = psf_by_spectrum(scaled);
    all.insert(all.end(), {psf_from_motion(scaled), psf_blind(scaled), psf_free(scaled, 7)});
    for (const FoundPsf& f : all) {
      CAPTURE(f.family);
      CHECK((f.confidence >= 0 && f.confidence <= 1));
      CHECK(f.psf.sum() == doctest::Approx(1));
    }
  }
}

TEST_CASE("find-psf on the tool, and the advice that follows") {
  const test::Folder f;
  const std::string shaken = test::data + "/shaken.png";
  const auto text = test::lsieve("find-psf " + shaken + " --sheet " + (f / "found.png"));
  CHECK(text.code == 0);
  CHECK(text.out.starts_with("motion:length=16.5,angle=24.9, confidence 1.00\n"));
  CHECK(io::read(f / "found.png").image.width() == 1280);
  const json j = json::parse(test::lsieve("find-psf " + shaken + " --motion --json").out)["found"][0];
  CHECK(j["family"] == "motion");
  CHECK(j["size"] == doctest::Approx(16).epsilon(0.06));
  CHECK(j["angle"] == doctest::Approx(25).epsilon(0.06));
  // What was found is taken by a filter, and helps.
  const Image seen = io::read(shaken).image;
  const Image better = Chain::parse("wiener noise=0.005 border=taper psf=" + j["psf"].get<std::string>())(seen);
  CHECK(compare(better, noon()).psnr > compare(seen, noon()).psnr + 4);
  const json advice = json::parse(test::lsieve("advise --json " + shaken).out);
  CHECK(advice["findings"][0]["figure"] == doctest::Approx(16).epsilon(0.06));
  CHECK(advice["proposals"][0]["chain"].get<std::string>().starts_with("plug_and_play psf=motion:"));
  CHECK(advice["proposals"][2]["chain"].get<std::string>().starts_with("wiener psf=motion:"));
  // A point, written as weights, read again.
  Image dark(40, 40);
  dark.at(20, 20) = 1;
  (void)io::write(f / "star.pfm", Blur{.psf = Kernel::disk(3)}(dark), {});
  REQUIRE(test::lsieve("find-psf " + (f / "star.pfm") + " --point 20,20 --into " + (f / "k.txt")).code == 0);
  const Kernel read =
      Kernel::parse("@" + (f / "k.txt"), {{}, [](const std::string& name) { return io::read_text(name); }});
  CHECK(read.at(read.anchor_x() + 2, read.anchor_y()) == doctest::Approx(Kernel::disk(3).at(5, 3)).epsilon(1e-4));
  for (const char* wrong : {"--point 3", "--point 0,0", "--motion --blind", "--free 4", "--blind --free 5",
                            "--edge 0,0,5,5", "--sheet x.jpg", "--point 20,20 --radius 0"}) {
    CAPTURE(std::string(wrong));
    const auto bad = test::lsieve("find-psf " + (f / "star.pfm") + " " + wrong);
    CHECK(bad.code == 2);
    CHECK(bad.err.size() > 10);
  }
}
