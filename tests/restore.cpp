#include "sieve/restore.hpp"

#include <nlohmann/json.hpp>
#include <numbers>

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::deviation;
using test::noise;

namespace {

const Image& noon() {
  static const Image image = io::read(test::data + "/noon.png").image;
  return image;
}

double gain(const std::string& chain, const Image& blurred, const Image& truth) { return compare(Chain::parse(chain)(blurred), truth).psnr - compare(blurred, truth).psnr; }

}  // namespace

TEST_CASE("transfer functions: known ones, the center at the origin, larger than the picture") {
  const DoubleSpectrum g = transfer_function(Kernel::gaussian(2), 64, 48);
  CHECK(std::abs(g.at(0, 0) - 1.0) < 1e-12);
  for (const auto& [u, v] : {std::pair{3, 0}, std::pair{2, 5}, std::pair{-4, 1}}) {
    const double f2 = std::pow(u / 64.0, 2) + std::pow(v / 48.0, 2);
    CHECK(std::abs(g.at(u, v) - std::exp(-2 * std::numbers::pi * std::numbers::pi * 4 * f2)) < 1e-3);
    CHECK(std::abs(g.at(u, v).imag()) < 1e-12);
  }
  const Kernel odd(2, 1, {1, 3}, 0, 0);  // not symmetric, and not of sum 1
  const DoubleSpectrum h = transfer_function(odd, 8, 5);
  for (int u = 0; u < 8; ++u) CHECK(std::abs(h.at(u, 2) - (0.25 + 0.75 * std::polar(1.0, -2 * std::numbers::pi * u / 8))) < 1e-12);
  CHECK(std::abs(transfer_function(Kernel::box(9), 7, 5).at(0, 0) - 1.0) < 1e-12);
  CHECK_THROWS_AS(transfer_function(Kernel::parse("laplacian"), 8, 8), BadCall);
  CHECK_THROWS_AS(transfer_function(Kernel(1, 1, {-1.0}), 8, 8), BadCall);
  const Kernel airy = Kernel::parse("airy:radius=4");
  CHECK(airy.sum() == doctest::Approx(1));
  CHECK(airy.at(airy.anchor_x() + 4, airy.anchor_y()) < 1e-4 * airy.at(airy.anchor_x(), airy.anchor_y()));
  Image spot(5, 5);
  spot.at(2, 2) = 2;
  spot.at(3, 2) = 2;
  CHECK(psf_of_picture(spot).at(3, 2) == doctest::Approx(0.5));
  CHECK_THROWS_AS(psf_of_picture(Image(4, 4)), BadCall);
}

TEST_CASE("diagnosis: the verdict, and what the inverse does with it") {
  CHECK(diagnose(Kernel(), 32, 32).verdict == "safe");
  CHECK(diagnose(Kernel::gaussian(0.6), 64, 64).verdict == "safe");
  const PsfDiagnosis soft = diagnose(Kernel::gaussian(2), 64, 64);
  CHECK(soft.verdict == "needs regularization");
  CHECK(soft.below_tenth > soft.below_hundredth);
  CHECK(soft.below_hundredth > soft.below_thousandth);
  CHECK(soft.noise_gain > 100);
  const PsfDiagnosis lost = diagnose(Kernel::parse("0.25,0.5,0.25"), 64, 64);  // 0 at the highest frequency
  CHECK(lost.verdict == "information lost");
  CHECK(lost.zero == doctest::Approx(1.0 / 64));
  const Image in = noise(32, 32);
  CHECK_THROWS_WITH_AS((Inverse{.psf = Kernel::parse("0.25,0.5,0.25"), .beyond = Beyond::wrap}(in)), doctest::Contains("information lost"), BadCall);
  CHECK_THROWS_AS((Inverse{.psf = Kernel::parse("laplacian")}(in)), BadCall);
  std::string notes;
  Watch watch;
  watch.on_note = [&](const std::string& line) { notes += line; };
  const Watch::Active active(watch);
  Inverse{.psf = Kernel::gaussian(2)}(in);
  CHECK(notes.find("needs regularization") != std::string::npos);
  CHECK(notes.find("beyond=taper") == std::string::npos);
  Wiener{.psf = Kernel::motion(7, 30), .noise = 0.01F}(in);
  CHECK(notes.find("beyond=taper") != std::string::npos);
}

TEST_CASE("what was blurred without noise comes back") {
  for (const auto& [w, h] : {std::pair{64, 48}, std::pair{45, 31}}) {
    const Image in = noise(w, h, w == 45 ? 3 : 1);
    for (const char* psf : {"gaussian:sigma=0.8", "0.1,0.1,0.05/0.1,0.4,0.1/0.05,0.05,0.05"}) {
      CAPTURE(std::string(psf));
      const Image blurred = Blur{.psf = Kernel::parse(psf), .border = Border::wrap}(in);
      CHECK(deviation(Inverse{.psf = Kernel::parse(psf), .beyond = Beyond::wrap}(blurred), in) < 1e-3);
      CHECK(deviation(Wiener{.psf = Kernel::parse(psf), .ratio = 0.0F, .beyond = Beyond::wrap}(blurred), in) < 1e-3);
      CHECK(deviation(LeastSquares{.psf = Kernel::parse(psf), .weight = 0.0F, .beyond = Beyond::wrap}(blurred), in) < 1e-3);
    }
    const Image mirrored = Blur{.psf = Kernel::gaussian(0.8), .border = Border::mirror}(in);
    CHECK(deviation(Inverse{.psf = Kernel::gaussian(0.8)}(mirrored), in) < 1e-3);
  }
  const Image blurred = Blur{.psf = Kernel::gaussian(1), .border = Border::mirror}(noon());
  CHECK(compare(Inverse{.psf = Kernel::gaussian(1)}(blurred), noon()).psnr > 60);
}

TEST_CASE("fast and plain agree; odd sizes, large PSFs, not a number, a stop") {
  for (const auto& [w, h] : {std::pair{17, 12}, std::pair{1, 9}, std::pair{1, 1}, std::pair{20, 15}}) {
    CAPTURE(w);
    const Image in = noise(w, h, w == 20 ? 3 : 1);
    for (const char* text : {"inverse psf=gaussian:sigma=0.7", "pseudo_inverse psf=disk:radius=2.5 below=hold", "pseudo_inverse psf=motion:length=5,angle=30 below=constant constant=0.5", "pseudo_inverse psf=box:radius=40",
                             "wiener psf=gaussian:sigma=1.5 noise=0.05", "wiener psf=disk:radius=2 ratio=0.01 beyond=taper", "least_squares psf=gaussian:sigma=1.2 noise=0.02 beyond=wrap", "least_squares psf=disk:radius=2 by=validation smooth=no"}) {
      CAPTURE(std::string(text));
      const Chain f = Chain::parse(text);
      CHECK(deviation(f(in), *f.steps()[0].plain(in)) < 1e-3);
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
  CHECK_THROWS_AS(RichardsonLucy{}(noon()), Stopped);
  CHECK_THROWS_AS(Wiener{}(noon()), Stopped);
}

TEST_CASE("with noise the inverse is useless, and the others gain") {
  const Kernel psf = Kernel::gaussian(2);
  const Image blurred = GaussianNoise{.deviation = 5.0F / 255, .seed = 3}(Blur{.psf = psf, .border = Border::mirror}(noon()));
  CHECK(gain("inverse psf=gaussian:sigma=2", blurred, noon()) < -20);
  // A wrong PSF and noise far above what is told make no picture of pure noise.
  CHECK(statistics(Wiener{.psf = Kernel::gaussian(1.5), .noise = 0.01F}(noise(50, 40)))[0].deviation < 20);
  double best = 0;
  for (const char* text : {"wiener psf=gaussian:sigma=2", "least_squares psf=gaussian:sigma=2", "least_squares psf=gaussian:sigma=2 by=validation", "richardson_lucy psf=gaussian:sigma=2"}) {
    CAPTURE(std::string(text));
    const double g = gain(text, blurred, noon());
    CHECK(g > 1);
    best = std::max(best, g);
  }
  CHECK(best > 1.5);
  // The pseudo-inverse where some of the band is gone.
  const Image soft = Blur{.psf = psf, .border = Border::mirror}(noon());
  CHECK(gain("pseudo_inverse psf=gaussian:sigma=2 threshold=0.01", soft, noon()) > 4);
  // The residual of constrained least squares is the noise.
  const Image out = LeastSquares{.psf = psf, .noise = 5.0F / 255}(blurred);
  const Image again = Blur{.psf = psf, .border = Border::mirror}(out);
  CHECK(std::sqrt(compare(again, blurred).mse) == doctest::Approx(5.0 / 255).epsilon(0.05));
}

TEST_CASE("Richardson-Lucy: never negative, the light kept, closer with every iteration, faster when accelerated") {
  const Kernel psf = Kernel::parse("motion:length=9,angle=20");
  const Image truth = to_gray(noon().view().part({100, 50, 200, 160})), blurred = Blur{.psf = psf, .border = Border::wrap}(truth);
  const auto run = [&](int iterations, bool accelerate) { return RichardsonLucy{.psf = psf, .iterations = iterations, .accelerate = accelerate, .noise = 0.0F, .beyond = Beyond::wrap}(blurred); };
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
  CHECK(compare(RichardsonLucy{.psf = psf, .iterations = 60, .smoothness = 0.01F, .noise = 0.0F, .beyond = Beyond::wrap}(grain), truth).psnr >
        compare(RichardsonLucy{.psf = psf, .iterations = 60, .noise = 0.0F, .beyond = Beyond::wrap}(grain), truth).psnr);
}

TEST_CASE("psf on the tool: verdicts as text and JSON, a sheet, wrong calls") {
  const test::Folder f;
  const auto text = test::lsieve("psf disk:radius=5 gaussian:sigma=0.5 --size 768x512 --sheet " + (f / "psf.png") + " --picture " + test::data + "/out_of_focus.png");
  CHECK(text.code == 0);
  CHECK(text.out.find("disk:radius=5: 11x11, at 768x512: needs regularization") != std::string::npos);
  CHECK(text.out.find("gaussian:sigma=0.5") != std::string::npos);
  CHECK(io::read(f / "psf.png").image.width() == 1280);
  const json j = json::parse(test::lsieve("psf 0.25,0.5,0.25 --size 64x64 --json").out);
  CHECK(j["verdict"] == "information lost");
  CHECK(j["zero"] == doctest::Approx(1.0 / 64));
  for (const char* wrong : {"psf laplacian", "psf", "psf disk --size 5", "psf disk --size 0x4", "psf nothing"}) {
    CAPTURE(std::string(wrong));
    CHECK(test::lsieve(wrong).code == 2);
  }
  CHECK(test::lsieve("apply " + test::data + "/noon.png " + (f / "o.png") + " inverse psf=0.25,0.5,0.25 beyond=wrap").code == 2);
  CHECK(f.entries() == 1);
}
