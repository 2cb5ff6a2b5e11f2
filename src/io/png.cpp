#include <fmt/format.h>
#include <png.h>

#include <cstring>

#include "io/c_calls.hpp"
#include "io/codec.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

[[noreturn]] void on_error(png_structp png, png_const_charp message) {
  static_cast<CCalls*>(png_get_error_ptr(png))->give_up(message);
}
void on_warning(png_structp, png_const_charp) {}

struct Source {
  Bytes file;
  std::size_t at = 0;
};

void take(png_structp png, png_bytep out, std::size_t n) {
  auto* s = static_cast<Source*>(png_get_io_ptr(png));
  if (n > s->file.size - s->at) png_error(png, "it ends early");
  std::memcpy(out, s->file.data + s->at, n);
  s->at += n;
}

void put(png_structp png, png_bytep data, std::size_t n) {
  auto* out = static_cast<std::vector<std::uint8_t>*>(png_get_io_ptr(png));
  try {
    out->insert(out->end(), data, data + n);
    return;
  } catch (const std::bad_alloc&) {
  }
  png_error(png, "memory ran out");
}
void flush(png_structp) {}

struct Reader {
  CCalls calls;
  png_structp png = nullptr;
  png_infop info = nullptr;
  explicit Reader(const std::string& name) : calls(name, "is a damaged or truncated PNG") {
    calls([&] {
      png = png_create_read_struct(PNG_LIBPNG_VER_STRING, &calls, on_error, on_warning);
      info = png != nullptr ? png_create_info_struct(png) : nullptr;
    });
    if (info == nullptr) throw std::bad_alloc();
  }
  ~Reader() { png_destroy_read_struct(&png, &info, nullptr); }
  Reader(const Reader&) = delete;
  Reader& operator=(const Reader&) = delete;
};

struct Writer {
  CCalls calls;
  png_structp png = nullptr;
  png_infop info = nullptr;
  explicit Writer(const std::string& name) : calls(name, "is a damaged or truncated PNG") {
    calls([&] {
      png = png_create_write_struct(PNG_LIBPNG_VER_STRING, &calls, on_error, on_warning);
      info = png != nullptr ? png_create_info_struct(png) : nullptr;
    });
    if (info == nullptr) throw std::bad_alloc();
  }
  ~Writer() { png_destroy_write_struct(&png, &info); }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;
};

}  // namespace

Loaded decode_png(const Bytes& file, const std::string& name, const Limits& limits) {
  Reader r(name);
  Source source{file};
  r.calls([&] {
    png_set_read_fn(r.png, &source, take);
    png_set_user_limits(r.png, 0x7fffffff, 0x7fffffff);
    png_read_info(r.png, r.info);
  });
  const png_uint_32 width = png_get_image_width(r.png, r.info), height = png_get_image_height(r.png, r.info);
  check_size(width, height, name, limits);
  // A row of compressed data holds at least about a byte for 1032 bytes of samples: a smaller file lies.
  const int type = png_get_color_type(r.png, r.info);
  const int depth = png_get_bit_depth(r.png, r.info);
  const double raw = static_cast<double>(png_get_rowbytes(r.png, r.info)) * height;
  if (raw / 1100 > static_cast<double>(file.size))
    fail(name, fmt::format("its header says {}x{} pixels, more than its {} bytes can hold", width, height, file.size));

  Loaded loaded;
  loaded.format = Format::png;
  loaded.bits = type == PNG_COLOR_TYPE_PALETTE ? 8 : depth;
  const bool transparent = png_get_valid(r.png, r.info, PNG_INFO_tRNS) != 0;
  if (transparent && depth < 8 && type == PNG_COLOR_TYPE_GRAY) loaded.bits = 8;
  int passes = 1;
  r.calls([&] {
    if (type == PNG_COLOR_TYPE_PALETTE) png_set_palette_to_rgb(r.png);
    if (transparent) png_set_tRNS_to_alpha(r.png);
    if (depth < 8) png_set_packing(r.png);
    if (depth == 16) png_set_swap(r.png);
    passes = png_set_interlace_handling(r.png);
  });
  png_charp profile_name = nullptr;
  png_bytep profile = nullptr;
  png_uint_32 profile_size = 0;
  int compression = 0;
  if (png_get_iCCP(r.png, r.info, &profile_name, &compression, &profile, &profile_size) != 0) {
    loaded.profile.assign(profile, profile + profile_size);
  }
  r.calls([&] { png_read_update_info(r.png, r.info); });
  const int channels = png_get_channels(r.png, r.info);
  const std::size_t row_bytes = png_get_rowbytes(r.png, r.info);
  std::vector<std::uint8_t> samples(row_bytes * height);
  std::vector<png_bytep> rows(height);
  for (png_uint_32 y = 0; y < height; ++y) rows[y] = samples.data() + row_bytes * y;
  for (int pass = 0; pass < passes; ++pass) {
    for (png_bytep row : rows) {
      checkpoint();
      r.calls([&] { png_read_row(r.png, row, nullptr); });
    }
  }
  r.calls([&] { png_read_end(r.png, r.info); });
  const int w = static_cast<int>(width), h = static_cast<int>(height);
  if (depth == 16) {
    loaded.image = from_interleaved(reinterpret_cast<const std::uint16_t*>(samples.data()), w, h, channels,
                                    static_cast<std::ptrdiff_t>(row_bytes / 2));
  } else {
    loaded.image = from_interleaved(samples.data(), w, h, channels, static_cast<std::ptrdiff_t>(row_bytes),
                                    (1U << loaded.bits) - 1);
  }
  png_textp texts = nullptr;
  int count = 0;
  png_get_text(r.png, r.info, &texts, &count);
  for (int i = 0; i < count; ++i) {
    if (std::string(texts[i].key) == "Lean Sieve" && texts[i].text != nullptr) loaded.record = texts[i].text;
  }
  png_uint_32 exif_size = 0;
  png_bytep exif = nullptr;
  if (png_get_eXIf_1(r.png, r.info, &exif_size, &exif) != 0) {
    std::vector<std::uint8_t> block = {'E', 'x', 'i', 'f', 0, 0};
    block.insert(block.end(), exif, exif + exif_size);
    if (orient(loaded.image, exif_orientation(block.data(), block.size())))
      loaded.note = "turned as its orientation tag says";
  }
  return loaded;
}

std::vector<std::uint8_t> encode_png(const Encoding& e) {
  std::vector<std::uint8_t> out;
  Writer w(e.name);
  w.calls([&] { png_set_write_fn(w.png, &out, put, flush); });
  const int width = e.image.width(), height = e.image.height(), channels = e.image.channels();
  constexpr int types[] = {PNG_COLOR_TYPE_GRAY, PNG_COLOR_TYPE_GRAY_ALPHA, PNG_COLOR_TYPE_RGB,
                           PNG_COLOR_TYPE_RGB_ALPHA};
  w.calls([&] {
    png_set_IHDR(w.png, w.info, static_cast<png_uint_32>(width), static_cast<png_uint_32>(height), e.bits,
                 types[channels - 1], PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  });
  if (!e.options.profile.empty()) {
    w.calls([&] {
      png_set_benign_errors(w.png, 1);  // a profile that libpng finds fault with is left out, not fatal
      png_set_iCCP(w.png, w.info, "profile", PNG_COMPRESSION_TYPE_BASE, e.options.profile.data(),
                   static_cast<png_uint_32>(e.options.profile.size()));
    });
    if (png_get_valid(w.png, w.info, PNG_INFO_iCCP) == 0)
      e.written.note = "the color profile is damaged or of another kind: it was left out";
  }
  if (e.options.smallest) {
    w.calls([&] {
      png_set_compression_level(w.png, 9);
      png_set_filter(w.png, PNG_FILTER_TYPE_BASE, PNG_ALL_FILTERS);
    });
  }
  std::string record = e.options.record;
  if (!record.empty()) {
    png_text text{};
    char key[] = "Lean Sieve";
    text.compression = PNG_ITXT_COMPRESSION_NONE;  // names of files in it may be in any script
    text.key = key;
    text.text = record.data();
    w.calls([&] { png_set_text(w.png, w.info, &text, 1); });
  }
  w.calls([&] { png_write_info(w.png, w.info); });
  const auto n = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels);
  w.calls([&] {
    if (e.bits < 8) png_set_packing(w.png);
    if (e.bits == 16) png_set_swap(w.png);
  });
  std::vector<std::uint8_t> samples(n * static_cast<std::size_t>(height) * (e.bits == 16 ? 2 : 1));
  if (e.bits == 16) {
    e.written.saturation = to_interleaved(e.image, reinterpret_cast<std::uint16_t*>(samples.data()));
  } else {
    e.written.saturation = to_interleaved(e.image, samples.data(), 0, e.white_level);
  }
  const std::size_t row_bytes = samples.size() / static_cast<std::size_t>(height);
  for (int y = 0; y < height; ++y) {
    checkpoint();
    w.calls([&] { png_write_row(w.png, samples.data() + row_bytes * static_cast<std::size_t>(y)); });
  }
  w.calls([&] { png_write_end(w.png, w.info); });
  return out;
}

}  // namespace sieve::io
