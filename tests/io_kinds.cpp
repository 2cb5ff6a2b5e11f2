// Kinds of PNG, TIFF, PNM and PFM files that others write and this library only reads.

#include "support.hpp"

#include <png.h>
#include <tiffio.h>

#include "sieve/io.hpp"

using namespace sieve;
using test::Folder;
using test::noise;

namespace {

// A PNG of a kind that this library reads but does not write.
void write_odd_png(const std::string& path, int type, int depth, int interlace, int width, int height,
                   std::string exif = "") {
  FILE* file = std::fopen(path.c_str(), "wb");
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png_create_info_struct(png);
  png_init_io(png, file);
  png_set_IHDR(png, info, static_cast<png_uint_32>(width), static_cast<png_uint_32>(height), depth, type, interlace, 0,
               0);
  png_color palette[4] = {{255, 0, 0}, {0, 255, 0}, {0, 0, 255}, {9, 8, 7}};
  png_byte alpha[2] = {255, 128};
  if (type == PNG_COLOR_TYPE_PALETTE) {
    png_set_PLTE(png, info, palette, 4);
    png_set_tRNS(png, info, alpha, 2, nullptr);
  }
  if (!exif.empty())
    png_set_eXIf_1(png, info, static_cast<png_uint_32>(exif.size()), reinterpret_cast<png_bytep>(exif.data()));
  png_write_info(png, info);
  std::vector<std::vector<png_byte>> rows;
  std::vector<png_bytep> pointers;
  for (int y = 0; y < height; ++y) {
    std::vector<png_byte> row(png_get_rowbytes(png, info));
    for (std::size_t i = 0; i < row.size(); ++i)
      row[i] = static_cast<png_byte>(0x1b + 37 * i + 11 * static_cast<std::size_t>(y));
    rows.push_back(row);
  }
  for (auto& row : rows) pointers.push_back(row.data());
  png_write_image(png, pointers.data());
  png_write_end(png, nullptr);
  png_destroy_write_struct(&png, &info);
  std::fclose(file);
}

// A TIFF of a kind that this library reads but does not write: one strip of raw bytes.
void write_odd_tiff(const std::string& path, int width, int height, int bits, int samples, int photometric,
                    const std::vector<std::uint8_t>& bytes, const std::function<void(TIFF*)>& more = {}) {
  TIFF* t = TIFFOpen(path.c_str(), "w");
  TIFFSetField(t, TIFFTAG_IMAGEWIDTH, width);
  TIFFSetField(t, TIFFTAG_IMAGELENGTH, height);
  TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, bits);
  TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, samples);
  TIFFSetField(t, TIFFTAG_PHOTOMETRIC, photometric);
  TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
  TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, height);
  if (more) more(t);
  std::vector<std::uint8_t> copy = bytes;
  TIFFWriteEncodedStrip(t, 0, copy.data(), static_cast<tmsize_t>(copy.size()));
  TIFFClose(t);
}

}  // namespace

TEST_CASE("PNG kinds: palette with transparency, low depths, interlaced") {
  const Folder folder;
  write_odd_png(folder / "p.png", PNG_COLOR_TYPE_PALETTE, 2, 0, 4, 2);
  const io::Loaded p = io::read(folder / "p.png");
  CHECK(p.image.channels() == 4);
  // The first byte 0x1b holds the entries 0 1 2 3.
  CHECK(p.image.at(0, 0, 0) == 1);
  CHECK(p.image.at(1, 0, 1) == 1);
  CHECK(p.image.at(1, 0, 3) == 128 / 255.0F);
  CHECK(p.image.at(3, 0, 2) == 7 / 255.0F);
  for (const int depth : {1, 4, 8, 16}) {
    write_odd_png(folder / "plain.png", PNG_COLOR_TYPE_GRAY, depth, 0, 31, 18);
    write_odd_png(folder / "laced.png", PNG_COLOR_TYPE_GRAY, depth, 1, 31, 18);
    CHECK(io::read(folder / "plain.png").bits == depth);
    CHECK(identical(io::read(folder / "plain.png").image, io::read(folder / "laced.png").image));
  }
  // An orientation of 6: stored lying, shown turned to the right.
  const char tag[] = "MM\0*\0\0\0\10\0\1\1\22\0\3\0\0\0\1\0\6\0\0\0\0\0\0";
  write_odd_png(folder / "turned.png", PNG_COLOR_TYPE_GRAY, 8, 0, 31, 18, std::string(tag, sizeof tag - 1));
  write_odd_png(folder / "plain.png", PNG_COLOR_TYPE_GRAY, 8, 0, 31, 18);
  const io::Loaded turned = io::read(folder / "turned.png");
  const Image lying = io::read(folder / "plain.png").image;
  REQUIRE(turned.image.shape() == Shape{18, 31, 1});
  CHECK(turned.note.find("orientation") != std::string::npos);
  CHECK(turned.image.at(17, 0) == lying.at(0, 0));
  CHECK(turned.image.at(17, 30) == lying.at(30, 0));
  CHECK(turned.image.at(0, 0) == lying.at(0, 17));
}

TEST_CASE("TIFF kinds: tiles, separate planes, compressions, floats, palettes of others") {
  const Folder folder;
  for (const int compression : {COMPRESSION_NONE, COMPRESSION_LZW, COMPRESSION_ADOBE_DEFLATE, COMPRESSION_PACKBITS}) {
    for (const bool tiled : {false, true}) {
      for (const int planar : {PLANARCONFIG_CONTIG, PLANARCONFIG_SEPARATE}) {
        const Image in = noise(50, 35, 3);
        const std::string path = folder / "t.tif";
        TIFF* t = TIFFOpen(path.c_str(), "w");
        TIFFSetField(t, TIFFTAG_IMAGEWIDTH, 50);
        TIFFSetField(t, TIFFTAG_IMAGELENGTH, 35);
        TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 3);
        TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 32);
        TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_IEEEFP);
        TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_RGB);
        TIFFSetField(t, TIFFTAG_PLANARCONFIG, planar);
        TIFFSetField(t, TIFFTAG_COMPRESSION, compression);
        const int side = tiled ? 16 : 50, tall = tiled ? 16 : 7, together = planar == PLANARCONFIG_CONTIG ? 3 : 1;
        if (tiled) {
          TIFFSetField(t, TIFFTAG_TILEWIDTH, 16);
          TIFFSetField(t, TIFFTAG_TILELENGTH, 16);
        } else {
          TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, 7);
        }
        for (int plane = 0; plane < 3 / together; ++plane) {
          for (int y0 = 0; y0 < 35; y0 += tall) {
            for (int x0 = 0; x0 < 50; x0 += side) {
              std::vector<float> chunk;
              for (int y = y0; y < y0 + tall; ++y) {
                for (int x = x0; x < x0 + side; ++x) {
                  for (int s = 0; s < together; ++s) chunk.push_back(x < 50 && y < 35 ? in.at(x, y, plane + s) : 0);
                }
              }
              const auto bytes = static_cast<tmsize_t>(chunk.size() * 4);
              const auto p = static_cast<std::uint16_t>(plane);
              const auto ux = static_cast<std::uint32_t>(x0), uy = static_cast<std::uint32_t>(y0);
              if (tiled) {
                TIFFWriteEncodedTile(t, TIFFComputeTile(t, ux, uy, 0, p), chunk.data(), bytes);
              } else {
                TIFFWriteEncodedStrip(t, TIFFComputeStrip(t, uy, p), chunk.data(), bytes);
              }
            }
          }
        }
        TIFFClose(t);
        CAPTURE(compression);
        CAPTURE(tiled);
        CAPTURE(planar);
        CHECK(identical(io::read(path).image, in));
      }
    }
  }
}

TEST_CASE("ASCII PNM with comments, and PFM of both byte orders") {
  const Folder folder;
  test::put(folder / "a.pgm", "P2 # gray\n3 # wide\n2\n10\n0 5 10\n1 2 # end\n3");
  const io::Loaded a = io::read(folder / "a.pgm");
  CHECK(a.image.at(1, 0) == 0.5F);
  CHECK(a.image.at(2, 1) == 0.3F);
  test::put(folder / "a.pbm", "P1\n4 1\n01 1\n0");
  CHECK(io::read(folder / "a.pbm").image.at(1, 0) == 0);  // 1 is black
  test::put(folder / "a.ppm", "P3 1 1 255 255 0 51");
  CHECK(io::read(folder / "a.ppm").image.at(0, 0, 2) == 0.2F);
  test::put(folder / "a.pfm", std::string("Pf\n1 2\n1.0\n") + std::string("\x3f\x80\0\0\x40\0\0\0", 8));
  CHECK(io::read(folder / "a.pfm").image.at(0, 0) == 2);  // the last row of the file is the top
  CHECK(io::read(folder / "a.pfm").image.at(0, 1) == 1);
}

TEST_CASE(
    "TIFF kinds: few bits, white at 0, palettes, gray with alpha, orientation, doubles; what is not read says so") {
  const Folder f;
  const std::string path = f / "t.tif";
  write_odd_tiff(path, 8, 1, 1, 1, PHOTOMETRIC_MINISBLACK, {0xA1});
  CHECK(io::read(path).bits == 1);
  CHECK(io::read(path).image.at(0, 0) == 1);
  CHECK(io::read(path).image.at(1, 0) == 0);
  CHECK(io::read(path).image.at(7, 0) == 1);
  write_odd_tiff(path, 2, 1, 32, 1, PHOTOMETRIC_MINISBLACK, {0, 0, 0, 128, 255, 255, 255, 255});
  CHECK(io::read(path).image.at(0, 0) == doctest::Approx(0.5).epsilon(1e-6));
  CHECK(io::read(path).image.at(1, 0) == 1);
  write_odd_tiff(path, 2, 1, 4, 1, PHOTOMETRIC_MINISWHITE, {0x0F});
  CHECK(io::read(path).image.at(0, 0) == 1);
  CHECK(io::read(path).image.at(1, 0) == 0);
  write_odd_tiff(path, 2, 2, 8, 2, PHOTOMETRIC_MINISBLACK, {0, 255, 51, 102, 255, 0, 153, 204}, [](TIFF* t) {
    const std::uint16_t kind = EXTRASAMPLE_UNASSALPHA;
    TIFFSetField(t, TIFFTAG_EXTRASAMPLES, 1, &kind);
  });
  const Image alpha = io::read(path).image;
  CHECK(alpha.channels() == 2);
  CHECK(alpha.at(1, 0, 0) == 0.2F);
  CHECK(alpha.at(1, 0, 1) == 0.4F);
  std::vector<std::uint16_t> red(256), green(256), blue(256);
  red[3] = 65535;
  green[7] = 32768;
  write_odd_tiff(path, 2, 1, 8, 1, PHOTOMETRIC_PALETTE, {3, 7},
                 [&](TIFF* t) { TIFFSetField(t, TIFFTAG_COLORMAP, red.data(), green.data(), blue.data()); });
  const Image palette = io::read(path).image;
  CHECK(palette.channels() == 3);
  CHECK(palette.at(0, 0, 0) == 1);
  CHECK(palette.at(1, 0, 1) == 32768 / 65535.0F);
  // All eight orientations of a picture whose samples tell where they stood.
  const float expected[8][4] = {{1, 2, 3, 4}, {2, 1, 4, 3}, {4, 3, 2, 1}, {3, 4, 1, 2},
                                {1, 3, 2, 4}, {3, 1, 4, 2}, {4, 2, 3, 1}, {2, 4, 1, 3}};
  for (int o = 1; o <= 8; ++o) {
    CAPTURE(o);
    write_odd_tiff(path, 2, 2, 8, 1, PHOTOMETRIC_MINISBLACK, {1, 2, 3, 4},
                   [o](TIFF* t) { TIFFSetField(t, TIFFTAG_ORIENTATION, o); });
    const Image turned = io::read(path).image;
    for (int i = 0; i < 4; ++i) CHECK(turned.at(i % 2, i / 2) == expected[o - 1][i] / 255);
  }
  const double values[] = {0.25, -3};
  const auto* raw = reinterpret_cast<const std::uint8_t*>(values);
  write_odd_tiff(path, 2, 1, 64, 1, PHOTOMETRIC_MINISBLACK, {raw, raw + 16},
                 [](TIFF* t) { TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_IEEEFP); });
  CHECK(io::read(path).image.at(1, 0) == -3);
  CHECK(io::read(path).image.white_level() == 0);
  write_odd_tiff(path, 1, 1, 8, 3, PHOTOMETRIC_CIELAB, {1, 2, 3});
  CHECK_THROWS_WITH_AS(io::read(path), doctest::Contains("save it as gray or RGB"), Error);
  write_odd_tiff(path, 1, 1, 16, 1, PHOTOMETRIC_MINISBLACK, {1, 2},
                 [](TIFF* t) { TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, SAMPLEFORMAT_INT); });
  CHECK_THROWS_WITH_AS(io::read(path), doctest::Contains("save it with 8, 16 or 32-bit float"), Error);
}

TEST_CASE("headers that say more than the file can hold are refused before any sample is made room for") {
  const Folder f;
  std::FILE* file = std::fopen((f / "a.png").c_str(), "wb");
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png_create_info_struct(png);
  png_init_io(png, file);
  png_set_IHDR(png, info, 8000, 8000, 8, PNG_COLOR_TYPE_RGB, 0, 0, 0);
  png_write_info(png, info);
  const png_byte few[] = {0x78, 0x9c, 3, 0, 0, 0, 0, 1};
  png_write_chunk(png, reinterpret_cast<png_const_bytep>("IDAT"), few, sizeof few);
  png_write_chunk(png, reinterpret_cast<png_const_bytep>("IEND"), nullptr, 0);
  png_destroy_write_struct(&png, &info);
  std::fclose(file);
  (void)io::write(f / "a.jpg", noise(40, 30));
  std::string jpeg = test::contents(f / "a.jpg");
  std::size_t frame = jpeg.find("\xff\xc0");
  if (frame == std::string::npos) frame = jpeg.find("\xff\xc2");
  REQUIRE(frame != std::string::npos);
  jpeg.replace(frame + 5, 4, "\x1f\x40\x1f\x40");
  test::put(f / "a.jpg", jpeg);
  write_odd_tiff(f / "a.tif", 8000, 8000, 8, 1, PHOTOMETRIC_MINISBLACK, {1, 2, 3},
                 [](TIFF* t) { TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_LZW); });
  for (const char* name : {"a.png", "a.jpg", "a.tif"})
    CHECK_THROWS_WITH_AS(io::read(f / name), doctest::Contains("says 8000x8000 pixels, more than its"), Error);
}
