// Files against other readers and writers of their formats: the libraries called plainly, and readers written from the
// published descriptions.

#include <png.h>
#include <tiffio.h>

#include <cstring>
#include <optional>

#include "support.hpp"

using namespace sieve;
using test::Folder;
using test::noise;

namespace {

using Levels = std::vector<std::uint16_t>;

// A picture with smooth parts, edges, grain and flat parts, so that every filter of PNG is the best somewhere.
Image varied(int w, int h, int channels, std::uint32_t white) {
  Image image = noise(w, h, channels);
  for (int c = 0; c < channels; ++c) {
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        float& v = image.at(x, y, c);
        const float ramp = static_cast<float>(x + 2 * y) / static_cast<float>(w + 2 * h);
        v = y % 64 < 16   ? v
            : y % 64 < 32 ? ramp + 0.02F * v
            : y % 64 < 48 ? 0.25F + 0.1F * static_cast<float>(c)
                          : ramp;
        v = std::round(std::clamp(v, 0.0F, 1.0F) * static_cast<float>(white)) / static_cast<float>(white);
      }
    }
  }
  image.set_white_level(white);
  return image;
}

Levels levels_of(const Image& image) {
  Levels all(image.shape().samples());
  (void)to_interleaved(image, all.data(), 0, image.white_level());
  return all;
}

// All samples of a PNG by libpng alone; nothing where it finds fault.
std::optional<Levels> by_libpng(const std::string& bytes) {
  struct Source {
    const std::string& bytes;
    std::size_t at;
  } source{bytes, 0};
  png_structp png = png_create_read_struct(
      PNG_LIBPNG_VER_STRING, nullptr, [](png_structp p, png_const_charp) { png_longjmp(p, 1); },
      [](png_structp, png_const_charp) {});
  png_infop info = png_create_info_struct(png);
  Levels all;
  std::vector<png_byte> row;
  // volatile: it is read after a jump back here.
  volatile bool whole = false;
  if (setjmp(png_jmpbuf(png)) == 0) {
    png_set_read_fn(png, &source, [](png_structp p, png_bytep out, std::size_t n) {
      auto* s = static_cast<Source*>(png_get_io_ptr(p));
      if (n > s->bytes.size() - s->at) png_error(p, "short");
      std::memcpy(out, s->bytes.data() + s->at, n);
      s->at += n;
    });
    png_read_info(png, info);
    const std::size_t n = png_get_rowbytes(png, info);
    const int depth = png_get_bit_depth(png, info);
    row.resize(n);
    for (png_uint_32 y = 0; y < png_get_image_height(png, info); ++y) {
      png_read_row(png, row.data(), nullptr);
      for (std::size_t i = 0; i < n; i += depth == 16 ? 2 : 1)
        all.push_back(static_cast<std::uint16_t>(depth == 16 ? row[i] << 8 | row[i + 1] : row[i]));
    }
    png_read_end(png, info);
    whole = true;
  }
  png_destroy_read_struct(&png, &info, nullptr);
  return whole ? std::optional(all) : std::nullopt;
}

// A PNG by libpng: its data in many small chunks, a text before and one behind them.
std::string written_by_libpng(const Image& image, int bits) {
  std::string bytes;
  png_structp png = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png_create_info_struct(png);
  png_set_write_fn(
      png, &bytes,
      [](png_structp p, png_bytep data, std::size_t n) {
        static_cast<std::string*>(png_get_io_ptr(p))->append(reinterpret_cast<const char*>(data), n);
      },
      [](png_structp) {});
  constexpr int types[] = {PNG_COLOR_TYPE_GRAY, PNG_COLOR_TYPE_GRAY_ALPHA, PNG_COLOR_TYPE_RGB,
                           PNG_COLOR_TYPE_RGB_ALPHA};
  png_set_IHDR(png, info, static_cast<png_uint_32>(image.width()), static_cast<png_uint_32>(image.height()), bits,
               types[image.channels() - 1], PNG_INTERLACE_NONE, 0, 0);
  png_set_filter(png, 0, PNG_ALL_FILTERS);
  png_set_compression_buffer_size(png, 100);
  char key[] = "Lean Sieve", text[] = "made by hand";
  png_text one{};
  one.compression = PNG_TEXT_COMPRESSION_NONE;
  one.key = key;
  one.text = text;
  png_write_info(png, info);
  const Levels levels = levels_of(image);
  const std::size_t n = levels.size() / static_cast<std::size_t>(image.height());
  for (std::size_t y = 0; y * n < levels.size(); ++y) {
    std::vector<png_byte> row;
    for (std::size_t i = 0; i < n; ++i) {
      if (bits == 16) row.push_back(static_cast<png_byte>(levels[y * n + i] >> 8));
      row.push_back(static_cast<png_byte>(levels[y * n + i] & 255));
    }
    png_write_row(png, row.data());
  }
  png_set_text(png, info, &one, 1);
  png_write_end(png, info);
  png_destroy_write_struct(&png, &info);
  return bytes;
}

io::Loaded decoded(const std::string& bytes, const std::string& name) {
  return io::decode(reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size(), name);
}

std::string text_of(const std::vector<std::uint8_t>& bytes) { return {bytes.begin(), bytes.end()}; }

// An array file as its description says: version, fields in any order, order of bytes and of samples.
template <class T>
std::string array_file(int version, const std::string& fields, const std::vector<T>& samples, bool swapped) {
  std::string bytes = "\x93NUMPY";
  bytes += static_cast<char>(version);
  bytes += '\0';
  for (std::size_t i = 0; i < (version == 1 ? 2U : 4U); ++i) bytes += static_cast<char>(fields.size() >> 8 * i);
  bytes += fields;
  for (const T& v : samples) {
    std::string one(sizeof(T), '\0');
    std::memcpy(one.data(), &v, sizeof(T));
    if (swapped) std::reverse(one.begin(), one.end());
    bytes += one;
  }
  return bytes;
}

}  // namespace

TEST_CASE("PNG: libpng reads what is written, in one part and in many, and what it writes is read, bit for bit") {
  for (const auto& [w, h] : {std::pair{1, 1}, {37, 300}, {700, 431}}) {
    for (int channels = 1; channels <= 4; ++channels) {
      for (const int bits : {8, 16}) {
        CAPTURE(w);
        CAPTURE(channels);
        CAPTURE(bits);
        const Image in = varied(w, h, channels, (1U << bits) - 1);
        std::vector<std::size_t> sizes;
        for (const auto compression : {io::Compression::fast, io::Compression::normal, io::Compression::small}) {
          const std::string bytes =
              text_of(io::encode(io::Format::png, in, {.compression = compression, .record = "made by a test"}));
          CHECK(by_libpng(bytes) == levels_of(in));
          const io::Loaded back = decoded(bytes, "a.png");
          CHECK(identical(back.image, in));
          CHECK(back.record == "made by a test");
          sizes.push_back(bytes.size());
        }
        if (w > 1) CHECK(sizes[2] < std::min(sizes[0], sizes[1]));
        const io::Loaded other = decoded(written_by_libpng(in, bits), "a.png");
        CHECK(identical(other.image, in));
        CHECK(other.record == "made by hand");
      }
    }
  }
  // The threads have no say in the bytes.
  const Image in = varied(900, 700, 3, 255);
  const auto bytes = io::encode(io::Format::png, in);
  set_threads(1);
  CHECK(io::encode(io::Format::png, in) == bytes);
  CHECK(identical(decoded(text_of(bytes), "a.png").image, in));
  set_threads(0);
}

TEST_CASE("PNG: damage is refused where libpng refuses it, and nowhere else is the picture another") {
  const Image in = varied(60, 70, 3, 255);
  const RandomStream random(8);
  for (const std::string& whole : {written_by_libpng(in, 8), text_of(io::encode(io::Format::png, in))}) {
    int refused = 0;
    for (std::uint64_t i = 0; i < 1500; ++i) {
      const auto r = random.words(i);
      std::string bytes = whole;
      const std::size_t at = r[0] % bytes.size();
      switch (r[1] % 3) {
        case 0:
          bytes[at] = static_cast<char>(bytes[at] ^ 1 << r[2] % 8);
          break;
        case 1:
          bytes.erase(at, 1 + r[2] % 40);
          break;
        default:
          bytes.insert(at, bytes, at / 2, 1 + r[2] % 40);
          break;
      }
      const auto expected = by_libpng(bytes);
      CAPTURE(i);
      try {
        const Image out = decoded(bytes, "a.png").image;
        REQUIRE(expected.has_value());
        if (out.shape() == in.shape()) REQUIRE(levels_of(out) == *expected);
      } catch (const Error&) {
        ++refused;
        // A chunk of text or EXIF that libpng passes over is none that could be refused.
        REQUIRE_FALSE(expected.has_value());
      }
    }
    CHECK(refused > 500);
  }
}

TEST_CASE("TIFF: libtiff reads what is written, many strips of every kind; a BigTIFF is read") {
  const Folder f;
  for (const int bits : {8, 16, 32}) {
    for (int channels = 1; channels <= 4; ++channels) {
      CAPTURE(bits);
      CAPTURE(channels);
      Image in = varied(331, 520, channels, bits == 32 ? 65535 : (1U << bits) - 1);
      if (bits == 32) in.set_white_level(0);
      (void)io::write(f / "a.tif", in);
      TIFF* t = TIFFOpen((f / "a.tif").c_str(), "r");
      REQUIRE(t != nullptr);
      CHECK(TIFFNumberOfStrips(t) > (bits * channels > 16 ? 1U : 0U));
      std::vector<std::uint8_t> row(static_cast<std::size_t>(TIFFScanlineSize(t)));
      Image out(in.shape(), in.white_level());
      for (int y = 0; y < in.height(); ++y) {
        REQUIRE(TIFFReadScanline(t, row.data(), static_cast<std::uint32_t>(y), 0) == 1);
        const View line = out.view().part({0, y, in.width(), 1});
        if (bits == 8) {
          from_interleaved(row.data(), line);
        } else if (bits == 16) {
          from_interleaved(reinterpret_cast<const std::uint16_t*>(row.data()), line);
        } else {
          from_interleaved(reinterpret_cast<const float*>(row.data()), line);
        }
      }
      TIFFClose(t);
      CHECK(identical(out, in));
      CHECK(identical(io::read(f / "a.tif").image, in));
    }
  }
  TIFF* t = TIFFOpen((f / "big.tif").c_str(), "w8");
  TIFFSetField(t, TIFFTAG_IMAGEWIDTH, 5);
  TIFFSetField(t, TIFFTAG_IMAGELENGTH, 4);
  TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 8);
  TIFFSetField(t, TIFFTAG_PHOTOMETRIC, PHOTOMETRIC_MINISBLACK);
  TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, 3);
  const Image small = varied(5, 4, 1, 255);
  std::uint8_t row[5];
  for (int y = 0; y < 4; ++y) {
    (void)to_interleaved(small.view().part({0, y, 5, 1}), row);
    TIFFWriteScanline(t, row, static_cast<std::uint32_t>(y), 0);
  }
  TIFFClose(t);
  CHECK(test::contents(f / "big.tif")[2] == '+');
  CHECK(identical(io::read(f / "big.tif").image, small));
}

TEST_CASE("NPY: every kind, order and version is read; what is written is as described") {
  const int w = 7, h = 5;
  for (const int channels : {1, 2, 3, 4}) {
    const Image bytes_in = varied(w, h, channels, 255), words_in = varied(w, h, channels, 65535),
                floats_in = noise(w, h, channels);
    const auto at = [&](std::size_t i, bool columns) {  // x, y, c of the i-th sample
      const auto k = static_cast<int>(i);
      return columns ? std::array{k / h % w, k % h, k / (h * w)}
                     : std::array{k / channels % w, k / (channels * w), k % channels};
    };
    for (const bool columns : {false, true}) {
      for (const bool swapped : {false, true}) {
        for (const int version : {1, 2, 3}) {
          const auto check = [&](const char* kind, const Image& in, auto zero, double white) {
            using T = decltype(zero);
            std::vector<T> samples;
            for (std::size_t i = 0; i < in.shape().samples(); ++i) {
              const auto [x, y, c] = at(i, columns);
              const double v = static_cast<double>(in.at(x, y, c)) * white;
              samples.push_back(static_cast<T>(white > 1 ? std::round(v) : v));
            }
            const std::string shape = channels == 1 ? "(5, 7)" : "(5, 7, " + std::to_string(channels) + ")";
            const std::string fields = std::string("{\"shape\": ") + shape +
                                       ", 'fortran_order': " + (columns ? "True" : "False") + ",'descr':'" +
                                       (swapped ? '>' : '<') + kind + "'}  \n";
            const io::Loaded back = decoded(array_file<T>(version, fields, samples, swapped), "a.npy");
            CAPTURE(fields);
            CHECK(identical(back.image, in));
            CHECK(back.image.white_level() == in.white_level());
          };
          check("u1", bytes_in, std::uint8_t{}, 255);
          check("u2", words_in, std::uint16_t{}, 65535);
          check("f4", floats_in, float{}, 1);
          check("f8", floats_in, double{}, 1);
        }
      }
    }
    const std::string shape = channels == 1 ? "(5, 7)" : "(5, 7, " + std::to_string(channels) + ")";
    for (const auto& [in, kind, size] :
         {std::tuple{&bytes_in, "|u1", 1}, {&words_in, "<u2", 2}, {&floats_in, "<f4", 4}}) {
      const std::string bytes = text_of(io::encode(io::Format::npy, *in));
      CHECK(bytes.starts_with(std::string("\x93NUMPY\1\0", 8)));
      const std::size_t end = 10U + static_cast<unsigned char>(bytes[8]) + 256U * static_cast<unsigned char>(bytes[9]);
      CHECK(end % 64 == 0);
      CHECK(bytes[end - 1] == '\n');
      CHECK(bytes.substr(10).starts_with(std::string("{'descr': '") + kind +
                                         "', 'fortran_order': False, 'shape': " + shape + ", }"));
      REQUIRE(bytes.size() == end + in->shape().samples() * static_cast<std::size_t>(size));
      CHECK(identical(decoded(bytes, "a.npy").image, *in));
    }
  }
  const std::vector<float> levels = {0, 255};
  CHECK(decoded(array_file<float>(1, "{'descr': '<f4', 'fortran_order': False, 'shape': (1, 2), }\n", levels, false),
                "a.npy")
            .note.find("its floats reach 255") != std::string::npos);
  const std::pair<const char*, const char*> wrong[] = {
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (3, 40, 50)}", "numpy.moveaxis"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (2,)}", "height x width"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': ()}", "height x width"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (1, 1, 2, 2)}", "height x width"},
      {"{'descr': '<i4', 'fortran_order': False, 'shape': (1, 2)}", "astype"},
      {"{'descr': '<c8', 'fortran_order': False, 'shape': (1, 1)}", "astype"},
      {"{'descr': [('a', '<f4')], 'fortran_order': False, 'shape': (1, 2)}", "records"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (900000, 900000)}", "limit"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (2, 2)}", "16 are needed"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (999999999999999999999, 2)}", "shape"},
      {"{'descr': '<f4', 'fortran_order': Maybe, 'shape': (1, 2)}", "order"},
      {"{'descr': '<f4', 'shape': (1, 2)}", "three fields"},
      {"{'descr': '<f4', 'fortran_order': False, 'shape': (1, 2", "','"},
      {"{'desc", "does not end"}};
  for (const auto& [fields, why] : wrong) {
    CAPTURE(fields);
    CHECK_THROWS_WITH_AS(decoded(array_file<float>(1, fields, levels, false), "a.npy"), doctest::Contains(why), Error);
  }
  CHECK_THROWS_WITH_AS(decoded(array_file<float>(4, "{}", levels, false), "a.npy"), doctest::Contains("version 4"),
                       Error);
}
