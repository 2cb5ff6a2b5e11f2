// What the library packs, read by the second reader.

#include "second_reader.hpp"
#include "second_reader_bands.hpp"
#include "sieve/io.hpp"

using namespace sieve;
using namespace test::page;
using test::deviation;
using test::noon;

namespace {

// An alpha that rises to the right.
Image with_alpha(const ConstView& color) {
  Image out(Shape{color.width(), color.height(), 4});
  for (int c = 0; c < 3; ++c) copy(color.channel(c), out.view().channel(c));
  for (int y = 0; y < out.height(); ++y) {
    for (int x = 0; x < out.width(); ++x) out.at(x, y, 3) = static_cast<float>(x) / static_cast<float>(out.width() - 1);
  }
  return out;
}

}  // namespace

TEST_CASE("a reader written from the page decodes what the library packs by cosine") {
  const Image part(noon().view().part({180, 60, 83, 150}));
  for (const Image& image :
       {part, to_gray(part), with_alpha(noon().view().part({180, 60, 40, 30})), test::noise(20, 9)}) {
    for (const PackOptions& o :
         {PackOptions{.by = PackBy::cosine, .quality = 85}, PackOptions{.by = PackBy::cosine, .quality = 30},
          PackOptions{.by = PackBy::cosine, .quality = 70, .perceptual = true}}) {
      const Bytes bytes = pack(image, o).bytes;
      const File f = read_file(bytes);
      CHECK(f.width == static_cast<std::uint64_t>(image.width()));
      CHECK(f.channels == static_cast<std::uint64_t>(image.channels()));
      CHECK(deviation(read_cosine(f), unpack(bytes).image) < 1e-4);
    }
  }
}

TEST_CASE("and by prediction, in bit planes, by singular vectors and by principal components") {
  const auto levels = [](const Image& image, int bits) {
    const auto bytes = io::encode(io::Format::png, image, {.bits = bits});
    return io::decode(bytes.data(), bytes.size(), "png").image;
  };
  const Image part(noon().view().part({180, 60, 83, 300}));
  Image smooth = part;
  for (int i = 0; i < 3; ++i) smooth = Gaussian{.sigma = 6}(smooth);
  int predicted = 0, banded = 0;
  for (const Image& image : {levels(part, 8), levels(to_gray(part), 16), levels(smooth, 8), levels(to_gray(smooth), 16),
                             levels(Image(10, 7), 8)}) {
    const Bytes bytes = pack(image, {.lossless = true}).bytes;
    const File f = read_file(bytes);
    auto values = (f.flags & 4) != 0 ? read_predicted(f) : read_planes(f);
    ((f.flags & 4) != 0 ? predicted : banded) += 1;
    if ((f.flags & 4) == 0) {
      for (auto& plane : values) reversible_inverse(plane, image.width(), image.height(), static_cast<int>(f.levels));
    }
    CHECK(deviation(whole_levels(f, values), image) < 0.1 / image.white_level());
  }
  CHECK(predicted > 0);
  // With loss: more than one cell, odd sides, gray and color.
  for (const Rectangle r : {Rectangle{100, 100, 600, 45}, Rectangle{180, 60, 83, 71}}) {
    const Image colors(noon().view().part(r));
    for (const Image& image : {colors, to_gray(colors), with_alpha(colors)}) {
      const Bytes bytes = pack(image, {.by = PackBy::wavelet, .quality = 80}).bytes;
      const File f = read_file(bytes);
      const auto values = read_planes(f);
      banded += 1;
      const Image seen = unpack(bytes).image;
      std::vector<Image> planes;
      for (const auto& plane : values) {
        WaveletBands bands =
            wavelet_forward(Image(image.width(), image.height()), Wavelet::nine_seven, static_cast<int>(f.levels));
        int w = image.width(), h = image.height();
        const auto fill = [&](Image& band, int x0, int y0) {
          for (int y = 0; y < band.height(); ++y) {
            for (int x = 0; x < band.width(); ++x) {
              const int v = plane[static_cast<std::size_t>((y0 + y) * image.width() + x0 + x)];
              const double size = v == 0 ? 0 : std::abs(v) == 1 ? 1.13 : std::abs(v) + 0.08;
              band.at(x, y) = static_cast<float>(size * f.step * (v < 0 ? -1 : 1));
            }
          }
        };
        for (WaveletDetails& d : bands.levels) {
          w = (w + 1) / 2, h = (h + 1) / 2;
          fill(d.vertical, w, 0), fill(d.horizontal, 0, h), fill(d.diagonal, w, h);
        }
        fill(bands.approximation, 0, 0);
        planes.push_back(wavelet_inverse(bands));
      }
      CHECK(deviation(turned_back(f, planes), seen) < 1e-4);
    }
  }
  CHECK(banded > 0);
  for (const PackBy by : {PackBy::svd, PackBy::pca}) {
    for (const Image& image : {Image(part.view().part({0, 0, 83, 70})), to_gray(part.view().part({0, 0, 37, 50})),
                               with_alpha(noon().view().part({180, 60, 40, 30}))}) {
      const Bytes bytes = pack(image, {.by = by, .quality = 80}).bytes;
      CHECK(deviation(read_factors(read_file(bytes)), unpack(bytes).image) < 1e-3);
    }
  }
}

TEST_CASE("the headers of all methods are as the page says") {
  const Image part(noon().view().part({180, 60, 64, 48}));
  Image whole =
      io::decode(io::encode(io::Format::png, part).data(), io::encode(io::Format::png, part).size(), "png").image;
  const File lossless = read_file(pack(whole, {.lossless = true}).bytes);
  CHECK((lossless.flags & 1) == 1);
  CHECK(lossless.white == 255);
  CHECK(read_file(pack(whole, {.by = PackBy::wavelet}).bytes).sections.size() ==
        read_file(pack(whole, {.by = PackBy::wavelet}).bytes).planes);
  const Packed svd = pack(whole, {.by = PackBy::svd});
  CHECK(read_file(svd.bytes).kept == svd.kept);
  CHECK(read_file(svd.bytes).sections.size() == 1);
  CHECK(read_file(pack(whole, {.by = PackBy::pca}).bytes).method == 3);
  CHECK(read_file(pack(test::noise(9, 9), {.by = PackBy::cosine}).bytes).white == 0);
}

TEST_CASE("a header that lies, its checksum right, is refused before memory is spent") {
  const Image part(noon().view().part({180, 60, 64, 48}));
  for (const PackBy by : {PackBy::cosine, PackBy::wavelet, PackBy::svd, PackBy::pca}) {
    CAPTURE(std::string(name_of(by)));
    const Bytes bytes = pack(part, {.by = by}).bytes;
    CHECK(with_field(bytes, 0, static_cast<std::uint64_t>(by)) == bytes);
    CHECK(with_field(bytes, 8, read_file(bytes).kept) == bytes);
    for (const auto& [field, value] : {std::pair<int, std::uint64_t>{0, 9},
                                       {1, 0},
                                       {1, 20000},
                                       {1, 0x7fffffff},
                                       {2, 30000},
                                       {2, std::uint64_t{1} << 60},
                                       {3, 0},
                                       {3, 5},
                                       {4, 70000},
                                       {5, 8},
                                       {5, 1},
                                       {5, 4}}) {
      CAPTURE(field);
      CAPTURE(value);
      CHECK_THROWS_AS(unpack(with_field(bytes, field, value)), Error);
    }
    const bool factors = by == PackBy::svd || by == PackBy::pca;
    if (factors) {
      for (const std::uint64_t kept : {std::uint64_t{1} << 39, std::uint64_t{49 * 3}, std::uint64_t{0x7fffffff}})
        CHECK_THROWS_AS(unpack(with_field(bytes, 8, kept)), Error);
      // Of no term at all only the means are left.
      CHECK(unpack(with_field(bytes, 8, 0)).image.shape() == part.shape());
    } else {
      for (const auto& [field, value] :
           {std::pair<int, std::uint64_t>{6, 64}, {7, 200}, {6, std::uint64_t{1} << 40}, {7, std::uint64_t{1} << 40}}) {
        CAPTURE(field);
        CAPTURE(value);
        CHECK_THROWS_AS(unpack(with_field(bytes, field, value)), Error);
      }
    }
    // A size that is a little wrong: an error, or a picture of the size that it says, and never more.
    for (const std::uint64_t width : {63U, 65U, 72U, 1U}) {
      try {
        const Unpacked u = unpack(with_field(bytes, 1, width));
        CHECK(u.image.width() == static_cast<int>(width));
      } catch (const Error& e) {
        CHECK(std::string(e.what()).starts_with("packed picture: "));
      }
    }
  }
}
