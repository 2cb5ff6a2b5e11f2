#include "sieve/pack.hpp"

#include <nlohmann/json.hpp>

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using nlohmann::json;
using test::deviation;
using test::noise;
using test::noon;

namespace {

constexpr PackBy kAll[] = {PackBy::cosine, PackBy::wavelet, PackBy::svd, PackBy::pca};

// Noise on whole levels.
Image levels(int width, int height, int channels, std::uint32_t maximum) {
  Image out(Shape{width, height, channels}, maximum);
  const Image in = noise(width, height, channels);
  for (int c = 0; c < channels; ++c) {
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x)
        out.at(x, y, c) = static_cast<float>(
            std::round(std::clamp(static_cast<double>(in.at(x, y, c)), 0.0, 1.0) * maximum) / maximum);
    }
  }
  return out;
}

bool same_samples(const Image& a, const Image& b) {
  if (a.shape() != b.shape()) return false;
  const double half = 0.25 / std::max(1U, b.white_level());
  return deviation(a, b) < half;
}

double psnr(const std::vector<std::uint8_t>& bytes, const Image& image) {
  return compare(unpack(bytes).image, image).psnr;
}

// Bytes of baseline JPEG that reach a PSNR, the better of both color resolutions.
double jpeg_bytes(const Image& image, double wanted) {
  double best = 1e18;
  for (const bool full : {false, true}) {
    const auto at = [&](int quality) {
      const auto bytes = io::encode(io::Format::jpeg, image, {.quality = quality, .full_color = full});
      return std::pair{compare(io::decode(bytes.data(), bytes.size(), "jpeg").image, image).psnr,
                       static_cast<double>(bytes.size())};
    };
    // The lowest even quality that reaches it, and the one before.
    int low = 2, high = 98;
    while (high - low > 2) {
      const int middle = (low + high) / 4 * 2;
      (at(middle).first >= wanted ? high : low) = middle;
    }
    const auto [now, size] = at(high);
    if (now < wanted) continue;
    const auto [psnr_before, bytes_before] = at(low);
    const double t = low > 2 ? (wanted - psnr_before) / (now - psnr_before) : 1;
    best = std::min(best, low > 2 ? bytes_before * std::pow(size / bytes_before, t) : size);
  }
  return best;
}

}  // namespace

TEST_CASE("without loss: bit for bit, any size, depth and channels") {
  for (const std::uint32_t maximum : {1U, 100U, 255U, 65535U}) {
    for (const Shape& shape : {Shape{1, 1, 1}, {1, 17, 1}, {33, 1, 3}, {7, 5, 2}, {65, 43, 3}, {20, 30, 4}}) {
      CAPTURE(maximum);
      CAPTURE(shape.width);
      const Image in = levels(shape.width, shape.height, shape.channels, maximum);
      const Unpacked out = unpack(pack(in, {.lossless = true}).bytes);
      CHECK(same_samples(out.image, in));
      CHECK(out.info.lossless);
      CHECK(out.image.white_level() == maximum);
    }
  }
  // Smooth pictures go by bands, drawn ones by prediction; both come back.
  const Packed p = pack(noon(), {.lossless = true});
  CHECK(same_samples(unpack(p.bytes).image, noon()));
  CHECK(static_cast<double>(p.bytes.size()) <=
        0.9 * static_cast<double>(io::encode(io::Format::png, noon(), {.compression = io::Compression::small}).size()));
  Image smooth = noon();
  for (int i = 0; i < 2; ++i) smooth = Gaussian{.sigma = 6}(smooth);
  const Image stepped = io::decode(io::encode(io::Format::png, smooth, {.bits = 16}).data(),
                                   io::encode(io::Format::png, smooth, {.bits = 16}).size(), "png")
                            .image;
  CHECK(same_samples(unpack(pack(stepped, {.lossless = true}).bytes).image, stepped));
  CHECK_THROWS_AS(pack(noise(8, 8), {.lossless = true}), InvalidArgument);
  CHECK_THROWS_AS(pack(levels(8, 8, 1, 255), {.by = PackBy::cosine, .lossless = true}), InvalidArgument);
  Image between = levels(8, 8, 1, 255);
  between.at(3, 3) += 0.002F;
  CHECK_THROWS_WITH_AS(pack(between, {.lossless = true}), doctest::Contains("no whole level"), InvalidArgument);
}

TEST_CASE("every method: all sizes, gray to color with alpha, float, not a number; finer quality is nearer") {
  for (const PackBy by : kAll) {
    CAPTURE(std::string(name_of(by)));
    for (const Shape& shape : {Shape{1, 1, 1}, {1, 9, 3}, {30, 1, 1}, {13, 11, 2}, {70, 50, 3}, {17, 40, 4}}) {
      CAPTURE(shape.width);
      const Image in = Gaussian{.sigma = 1.5F}(noise(shape.width, shape.height, shape.channels));
      const Image out = unpack(pack(in, {.by = by, .quality = 100}).bytes).image;
      CHECK(out.shape() == in.shape());
      CHECK(deviation(out, in) < 0.05);
    }
    Image broken = noise(24, 24);
    broken.at(3, 4) = std::nanf("");
    broken.at(5, 4) = std::numeric_limits<float>::infinity();
    CHECK(std::isfinite(unpack(pack(broken, {.by = by}).bytes).image.at(3, 4)));
    double before = 0;
    std::size_t bytes = 0;
    for (const double quality : {20.0, 60.0, 90.0}) {
      const Packed p = pack(noon(), {.by = by, .quality = quality});
      CHECK(psnr(p.bytes, noon()) > before);
      CHECK(p.bytes.size() > bytes);
      before = psnr(p.bytes, noon());
      bytes = p.bytes.size();
    }
    // Integer sources come back within 0..1, float ones may go beyond.
    CHECK(statistics(unpack(pack(noon(), {.by = by, .quality = 20}).bytes).image)[0].minimum >= 0);
    // The same bytes for any number of threads.
    const auto all = pack(noon(), {.by = by, .quality = 50}).bytes;
    set_threads(1);
    CHECK(pack(noon(), {.by = by, .quality = 50}).bytes == all);
    set_threads(0);
  }
}

TEST_CASE("goals are met within 2 percent, or a note says why not") {
  for (const PackBy by : {PackBy::cosine, PackBy::wavelet}) {
    for (const std::uint64_t bytes : {5000U, 40000U}) {
      const Packed p = pack(noon(), {.by = by, .bytes = bytes});
      CHECK(p.bytes.size() <= bytes);
      CHECK(static_cast<double>(p.bytes.size()) >= 0.98 * static_cast<double>(bytes));
      CHECK(p.note.empty());
    }
    const Packed p = pack(noon(), {.by = by, .psnr = 34});
    CHECK(psnr(p.bytes, noon()) >= 34);
    CHECK(psnr(p.bytes, noon()) <= 34.3);
    CHECK(static_cast<double>(pack(noon(), {.by = by, .rate = 0.5}).bytes.size()) <= 0.5 * 768 * 512 / 8);
    CHECK(pack(noon(), {.by = by, .keep = 5000}).kept <= 5000);
    CHECK(pack(noon(), {.by = by, .keep = 5000}).kept >= 4800);
  }
  CHECK(pack(noon(), {.by = PackBy::svd, .keep = 10}).kept <= 10);
  CHECK(pack(noon(), {.by = PackBy::pca, .keep = 12}).kept <= 12);
  CHECK(!pack(noon(), {.by = PackBy::cosine, .bytes = 64}).note.empty());
  CHECK(!pack(noise(8, 8), {.rate = 64}).note.empty());
  for (const PackOptions& wrong :
       {PackOptions{.quality = 50.0, .rate = 1.0}, PackOptions{.quality = 101.0}, PackOptions{.psnr = 5.0},
        PackOptions{.bytes = 3}, PackOptions{.rate = 0.0}, PackOptions{.keep = 0},
        PackOptions{.by = PackBy::wavelet, .perceptual = true}, PackOptions{.quality = std::nan("")}}) {
    CHECK_THROWS_AS(pack(noon(), wrong), InvalidArgument);
  }
}

TEST_CASE("fewer bytes than baseline JPEG at the same PSNR") {
  for (const auto& [by, most] : {std::pair{PackBy::wavelet, 0.7}, {PackBy::cosine, 0.8}}) {
    double share = 0;
    int rates = 0;
    for (const double rate : {0.5, 0.25, 1.0, 2.0}) {
      if (test::sanitized && rates > 0) continue;
      const Packed p = pack(noon(), {.by = by, .rate = rate});
      share += static_cast<double>(p.bytes.size()) / jpeg_bytes(noon(), psnr(p.bytes, noon()));
      ++rates;
    }
    CHECK(share <= most * rates);
  }
}

TEST_CASE("a wavelet file that is cut off opens at lower quality, the more of it the better; others are refused") {
  const Image small(noon().view().part({200, 100, 48, 40}));
  const std::vector<std::uint8_t> whole = pack(small, {.by = PackBy::wavelet, .quality = 85}).bytes;
  std::size_t opened = 0;
  for (std::size_t n = 0; n < whole.size(); ++n) {
    try {
      const Unpacked u = unpack(std::span(whole).first(n));
      CHECK(u.image.shape() == small.shape());
      CHECK_FALSE(u.info.complete);
      ++opened;
    } catch (const InvalidArgument&) {
      FAIL("a cut file is no wrong call");
    } catch (const Error& e) {
      CHECK(std::string(e.what()).find('\n') == std::string::npos);
    }
  }
  CHECK(opened > whole.size() / 2);
  const std::vector<std::uint8_t> large = pack(noon(), {.by = PackBy::wavelet, .quality = 80}).bytes;
  double before = 0;
  for (const double share : {0.05, 0.2, 0.5, 0.8, 1.0}) {
    const double now =
        psnr({large.begin(), large.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(large.size()))},
             noon());
    CHECK(now > before);
    before = now;
  }
  for (const PackBy by : {PackBy::cosine, PackBy::svd, PackBy::pca}) {
    const std::vector<std::uint8_t> bytes = pack(small, {.by = by}).bytes;
    for (std::size_t n = 0; n < bytes.size(); n += 3) CHECK_THROWS_AS(unpack(std::span(bytes).first(n)), Error);
  }
}

TEST_CASE("damage: every flipped byte is refused, and lies in the header cost no memory") {
  const Image small(noon().view().part({200, 100, 24, 20}));
  std::vector<std::vector<std::uint8_t>> files = {pack(levels(24, 20, 3, 255), {.lossless = true}).bytes};
  for (const PackBy by : kAll) files.push_back(pack(small, {.by = by, .quality = 60}).bytes);
  for (const auto& file : files) {
    for (std::size_t i = 0; i < file.size(); ++i) {
      for (const int flip : {0x01, 0x80, 0xff}) {
        std::vector<std::uint8_t> bad = file;
        bad[i] = static_cast<std::uint8_t>(bad[i] ^ flip);
        CHECK_THROWS_AS(unpack(bad), Error);
      }
    }
    std::vector<std::uint8_t> longer = file;
    longer.push_back(0);
    CHECK_THROWS_AS(unpack(longer), Error);
    CHECK_THROWS_AS(unpack(file, 100), Error);
  }
  CHECK_THROWS_AS(unpack({}), Error);
  CHECK_FALSE(is_packed({}));
}

TEST_CASE("files and tool: pack, unpack, look, apply, rate, compaction; one line for what is wrong") {
  const test::Folder f;
  const std::string in = test::noon_file;
  const json j = json::parse(test::lsieve("pack " + in + " " + (f / "a.lsv") + " --by cosine --rate 0.5 --json").out);
  CHECK(j["bits_per_pixel"] == doctest::Approx(0.5).epsilon(0.02));
  CHECK(j["bytes"] == std::filesystem::file_size(f / "a.lsv"));
  CHECK(j["ratio"] == doctest::Approx(48).epsilon(0.03));
  CHECK(j["psnr"] > 31);
  CHECK(j["ssim"] > 0.9);
  const json unpacked = json::parse(test::lsieve("unpack " + (f / "a.lsv") + " " + (f / "a.png") + " --json").out);
  CHECK(unpacked["width"] == 768);
  CHECK(unpacked["channels"] == 3);
  CHECK(unpacked["bits"] == 8);
  CHECK(unpacked["complete"] == true);
  CHECK(compare(io::read(f / "a.png").image, noon()).psnr == doctest::Approx(j["psnr"].get<double>()).epsilon(0.01));
  CHECK(test::lsieve("look " + (f / "a.lsv")).out.find("LSV") != std::string::npos);
  // Written and read like any other format.
  REQUIRE(test::lsieve("apply " + in + " " + (f / "b.lsv") + " gaussian sigma=1").code == 0);
  CHECK(compare(io::read(f / "b.lsv").image, Gaussian{.sigma = 1}(noon())).psnr > 40);
  const auto text = test::lsieve("pack " + in + " " + (f / "c.lsv") + " --lossless");
  CHECK(text.out.find("not a bit lost") != std::string::npos);
  const json few = json::parse(
      test::lsieve("compaction " + in + " --numbers 8000 --json --sheet " + (f / "compaction.png")).out)["kept"];
  REQUIRE(few.size() == 4);
  CHECK(few[1]["psnr"] > few[0]["psnr"]);
  CHECK(few[2]["psnr"] > few[3]["psnr"]);
  (void)io::write(f / "part.png", noon().view().part({200, 100, 96, 64}), {});
  const json rate =
      json::parse(test::lsieve("rate " + (f / "part.png") + " --by wavelet cosine --json --sheet " + (f / "rate.png"))
                      .out)["methods"];
  REQUIRE(rate.size() == 3);
  CHECK(rate[0]["points"][3]["psnr"] > rate[0]["points"][1]["psnr"]);
  CHECK(rate[2]["by"] == "jpeg");
  CHECK(io::read(f / "rate.png").image.width() == 1280);
  const std::size_t before = f.entries();
  for (const char* wrong : {"pack {} {o}.png", "pack {} {o}.lsv --by nothing", "pack {} {o}.lsv --rate 1 --quality 3",
                            "pack {} {o}.lsv --quality 200", "unpack {} {o}.png", "few {} --numbers 0",
                            "rate {} --by jpeg", "rate {} --sheet {o}.jpg"}) {
    CAPTURE(std::string(wrong));
    std::string call = wrong;
    call.replace(call.find("{}"), 2, in);
    if (const auto at = call.find("{o}"); at != std::string::npos) call.replace(at, 3, f / "none");
    const auto bad = test::lsieve(call);
    CHECK(bad.code == 2);
    CHECK(std::count(bad.err.begin(), bad.err.end(), '\n') == 1);
  }
  CHECK(f.entries() == before);
}

TEST_CASE("keep decides how many terms there are, quality how fine they are") {
  const Image gray = to_gray(noon());
  for (const PackBy by : {PackBy::svd, PackBy::pca}) {
    CAPTURE(name_of(by));
    const double exact =
        compare(by == PackBy::svd ? LowRank{.rank = 20}(gray) : PrincipalComponents{.components = 20, .side = 8}(gray),
                gray)
            .psnr;
    const Packed fine = pack(gray, {.by = by, .quality = 97, .keep = 20}),
                 rough = pack(gray, {.by = by, .quality = 60, .keep = 20}), plain = pack(gray, {.by = by, .keep = 20});
    for (const Packed* p : {&fine, &rough, &plain}) CHECK(p->kept == 20);
    CHECK(psnr(fine.bytes, gray) == doctest::Approx(exact).epsilon(0.01));
    CHECK(psnr(plain.bytes, gray) > exact - 1.5);
    CHECK(psnr(rough.bytes, gray) < psnr(fine.bytes, gray));
    CHECK(rough.bytes.size() < plain.bytes.size());
    CHECK(plain.bytes.size() < fine.bytes.size());
    const Packed few = pack(Image(gray.part({0, 0, 16, 8})), {.by = by, .keep = 500});
    CHECK(few.kept < 500);
    CHECK(few.note.find("500 terms are asked for") != std::string::npos);
  }
  CHECK_THROWS_AS(pack(gray, {.by = PackBy::wavelet, .quality = 50, .keep = 20}), InvalidArgument);
  CHECK_THROWS_AS(pack(gray, {.by = PackBy::svd, .psnr = 30, .keep = 20}), InvalidArgument);
}
