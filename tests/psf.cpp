// Point spread functions: what they do to each frequency, whether that can be undone, from files and on the tool.

#include "sieve/restore/psf.hpp"

#include <nlohmann/json.hpp>
#include <numbers>

#include "sieve/io.hpp"
#include "sieve/restore.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::deviation;
using test::noise;
using test::noon;
using test::noon_file;

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
  for (int u = 0; u < 8; ++u)
    CHECK(std::abs(h.at(u, 2) - (0.25 + 0.75 * std::polar(1.0, -2 * std::numbers::pi * u / 8))) < 1e-12);
  CHECK(std::abs(transfer_function(Kernel::box(9), 7, 5).at(0, 0) - 1.0) < 1e-12);
  CHECK_THROWS_AS(transfer_function(Kernel::parse("laplacian"), 8, 8), InvalidArgument);
  CHECK_THROWS_AS(transfer_function(Kernel(1, 1, {-1.0}), 8, 8), InvalidArgument);
  const Kernel airy = Kernel::parse("airy:radius=4");
  CHECK(airy.sum() == doctest::Approx(1));
  CHECK(airy.at(airy.anchor_x() + 4, airy.anchor_y()) < 1e-4 * airy.at(airy.anchor_x(), airy.anchor_y()));
  Image spot(5, 5);
  spot.at(2, 2) = 2;
  spot.at(3, 2) = 2;
  CHECK(Kernel::of_picture(spot).at(3, 2) == doctest::Approx(0.5));
  CHECK_THROWS_AS(Kernel::of_picture(Image(4, 4)), InvalidArgument);
}

TEST_CASE("diagnosis: the verdict, and what the inverse does with it") {
  CHECK(invertibility(Kernel(), 32, 32).verdict == PsfVerdict::safe);
  CHECK(invertibility(Kernel::gaussian(0.6), 64, 64).verdict == PsfVerdict::safe);
  const Invertibility soft = invertibility(Kernel::gaussian(2), 64, 64);
  CHECK(soft.verdict == PsfVerdict::needs_regularization);
  CHECK(soft.below_tenth > soft.below_hundredth);
  CHECK(soft.below_hundredth > soft.below_thousandth);
  CHECK(soft.noise_gain > 100);
  const Invertibility lost = invertibility(Kernel::parse("0.25,0.5,0.25"), 64, 64);  // 0 at the highest frequency
  CHECK(lost.verdict == PsfVerdict::information_lost);
  CHECK(lost.zero == doctest::Approx(1.0 / 64));
  const Image in = noise(32, 32);
  CHECK_THROWS_WITH_AS((Inverse{.psf = Kernel::parse("0.25,0.5,0.25"), .border = Border::wrap}(in)),
                       doctest::Contains("information lost"), InvalidArgument);
  CHECK_THROWS_AS((Inverse{.psf = Kernel::parse("laplacian")}(in)), InvalidArgument);
  std::string notes;
  Watch watch;
  watch.on_note = [&](const std::string& line) { notes += line; };
  const Watch::Active active(watch);
  (void)Inverse{.psf = Kernel::gaussian(1)}(in);
  CHECK(notes.find("needs regularization") != std::string::npos);
  CHECK(notes.find("border=taper") == std::string::npos);
  (void)Wiener{.psf = Kernel::motion(7, 30), .noise = 0.01F, .border = Border::mirror}(in);
  CHECK(notes.find("border=taper") != std::string::npos);
}

TEST_CASE("the limits of division: rounding is noise, of a file and of floats; refused, told, forced") {
  const auto psf = Kernel::gaussian(1);
  const Image soft = Blur{.psf = psf, .border = Border::mirror}(noon());
  const test::Folder f;
  (void)io::write(f / "soft.png", soft);
  const Image file = io::read(f / "soft.png").image;
  // The same picture, once with the levels of 8 bits: 537 times 1 / 255 / the root of 12.
  CHECK(compare(Inverse{.psf = psf}(soft), noon()).psnr > 60);
  CHECK_THROWS_WITH_AS(Inverse{.psf = psf}(file), doctest::Contains("rounded to steps of 1/255 (deviation 0.0011)"),
                       InvalidArgument);
  std::string notes;
  Watch watch;
  watch.on_note = [&](const std::string& line) { notes += line + "\n"; };
  const Watch::Active active(watch);
  const double forced = std::sqrt(compare(Inverse{.psf = psf, .force = true}(file), noon()).mse);
  CHECK(notes.find("rounding rules the result") != std::string::npos);
  CHECK(notes.find("did not blur it") == std::string::npos);
  // What it says is what comes: the deviation of the rounding times the gain.
  CHECK(forced == doctest::Approx(invertibility(psf, file.width(), file.height()).noise_gain / 255 / std::sqrt(12.0))
                      .epsilon(0.15));
  // Floats have their limit, too; those that hold the noise have none.
  CHECK_THROWS_WITH_AS(Inverse{.psf = Kernel::gaussian(2)}(soft), doctest::Contains("rounded to 32-bit floats"),
                       InvalidArgument);
  notes.clear();
  CHECK(compare(Wiener{.psf = psf}(file), noon()).psnr > compare(file, noon()).psnr + 6);
  CHECK(notes.find("noise deviation 0.0011") != std::string::npos);
  // Where frequencies are gone their number is told, and forced they stay out.
  const Kernel lost = Kernel::parse("0.25,0.5,0.25");
  const Image in = noise(32, 32);
  CHECK(invertibility(lost, 32, 32).reason.starts_with("nothing is left of 32 of 1024 frequencies"));
  const Image back =
      Inverse{.psf = lost, .force = true, .border = Border::wrap}(Blur{.psf = lost, .border = Border::wrap}(in));
  const Spectrum left = spectrum(in), found = spectrum(back);
  CHECK(std::abs(found.at(16, 5)) < 1e-3);
  CHECK(std::abs(found.at(15, 5) - left.at(15, 5)) < 1e-3 * std::abs(left.at(15, 5)) + 1e-3);
}

TEST_CASE("a PSF from a picture file, in filters and kernels") {
  const test::Folder f;
  Image spot(5, 5);
  spot.at(2, 2) = 0.5F, spot.at(3, 2) = 0.25F, spot.at(2, 1) = 0.25F;
  (void)io::write(f / "spot.png", spot, {.bits = 16});
  (void)io::write(f / "spot.pfm", spot, {});
  for (const char* ending : {"png", "pfm"}) {
    CAPTURE(std::string(ending));
    const auto made = test::lsieve("apply " + noon_file + " " + (f / "a.pfm") + " blur psf=@" + (f / "spot.") + ending);
    REQUIRE(made.code == 0);
    CHECK(deviation(io::read(f / "a.pfm").image, Blur{.psf = Kernel::of_picture(spot)}(noon())) < 1e-4);
    CHECK(test::lsieve("kernel @" + (f / "spot.") + ending).code == 0);
  }
  CHECK_THROWS_AS(Kernel::parse("@x.png", {{}, [](const std::string&) { return std::string("P5 1 1 255 a"); }}),
                  InvalidArgument);
}

TEST_CASE("psf on the tool: verdicts as text and JSON, a sheet, wrong calls") {
  const test::Folder f;
  const auto text = test::lsieve("psf disk:radius=5 gaussian:sigma=0.5 --size 768x512 --sheet " + (f / "psf.png") +
                                 " --picture " + test::data + "/out_of_focus.png");
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
  CHECK(test::lsieve("apply " + test::data + "/noon.png " + (f / "o.png") + " inverse psf=0.25,0.5,0.25 border=wrap")
            .code == 2);
  CHECK(f.entries() == 1);
}
