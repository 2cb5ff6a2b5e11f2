#include <fmt/format.h>
#include <png.h>

#include <algorithm>
#include <cstring>
#include <memory>
#include <optional>

#include "io/codec.hpp"
#include "io/png_calls.hpp"
#include "io/png_lanes.hpp"
#include "io/strip_queue.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

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

struct PngReader {
  CCalls calls;
  png_structp png = nullptr;
  png_infop info = nullptr;
  explicit PngReader(const std::string& name) : calls(name, "is a damaged or truncated PNG") {
    calls([&] {
      png = png_create_read_struct(PNG_LIBPNG_VER_STRING, &calls, on_png_error, on_png_warning);
      info = png != nullptr ? png_create_info_struct(png) : nullptr;
    });
    if (info == nullptr) throw std::bad_alloc();
  }
  ~PngReader() { png_destroy_read_struct(&png, &info, nullptr); }
  PngReader(const PngReader&) = delete;
  PngReader& operator=(const PngReader&) = delete;
};

// The picture's data chunks behind each other, where they are whole and in one run, and where the chunks after them
// begin.
struct Data {
  std::vector<Bytes> chunks;  // type and content
  std::size_t after = 0;
};

std::uint32_t number_at(const std::uint8_t* b) {
  return std::uint32_t{b[0]} << 24 | std::uint32_t{b[1]} << 16 | std::uint32_t{b[2]} << 8 | b[3];
}

std::optional<Data> data_of(const Bytes& file, std::size_t at) {
  Data d;
  while (file.size - at >= 12) {
    const std::uint32_t length = number_at(file.data + at);
    if (length > file.size - at - 12) break;
    const bool data = std::memcmp(file.data + at + 4, "IDAT", 4) == 0;
    if (data && d.after != 0) break;
    if (data) d.chunks.push_back({file.data + at + 4, length + std::size_t{4}});
    if (!data && d.after == 0) d.after = at;
    if (std::memcmp(file.data + at + 4, "IEND", 4) == 0) return d;
    at += length + std::size_t{12};
  }
  return std::nullopt;
}

// Its checksum stands behind it.
bool sound(const Bytes& chunk) { return crc_of(chunk.data, chunk.size) == number_at(chunk.data + chunk.size); }

struct Geometry {
  int width, height, channels, depth;
  std::size_t row_bytes;
};

// Reads a sound file in a third of the time: inflated as a whole while the checksums are found, rows restored while
// those before become planes. False, with nothing done, where anything is not as it should be: libpng then says what.
bool read_sound(const Data& data, const Geometry& g, Image& image) {
  // Before the whole is inflated no stop is heard; this takes less than a tenth of a second.
  constexpr std::size_t kMost = std::size_t{48} << 20;
  const auto height = static_cast<std::size_t>(g.height);
  const std::size_t raw_size = (g.row_bytes + 1) * height;
  if (raw_size > kMost) return false;
  std::vector<std::uint8_t> stream;
  std::size_t stream_size = 0;
  for (const Bytes& c : data.chunks) stream_size += c.size - 4;
  stream.reserve(stream_size);
  for (const Bytes& c : data.chunks) stream.insert(stream.end(), c.data + 4, c.data + c.size);
  // A stream that says that it looks back less far than it may is held to it by libpng alone.
  if (stream.empty() || stream[0] != 0x78) return false;
  const auto raw = std::make_unique_for_overwrite<std::uint8_t[]>(raw_size + lanes::kAround);
  bool whole = false, all_sound = true;
  side_by_side([&] { whole = inflate_whole(stream.data(), stream.size(), raw.get(), raw_size); },
               [&] {
                 for (const Bytes& c : data.chunks) all_sound = all_sound && sound(c);
                 image = Image(Shape{g.width, g.height, g.channels}, (1U << g.depth) - 1);
               });
  if (!whole || !all_sound) return false;
  for (std::size_t y = 0; y < height; ++y) {
    if (raw[(g.row_bytes + 1) * y] > 4) return false;
  }
  const std::size_t apart = (g.row_bytes + lanes::kAround + 1) / 2 * 2,
                    step = static_cast<std::size_t>(g.channels * g.depth / 8);
  const std::vector<std::uint8_t> nothing(apart);
  const std::uint8_t* above = nothing.data();
  StripQueue(g.height, apart)
      .run(
          [&](int y, std::uint8_t* row) {
            lanes::restore_row(raw.get() + (g.row_bytes + 1) * static_cast<std::size_t>(y), above, g.row_bytes, step,
                               row);
            above = row;
          },
          [&](int first, int last, const std::uint8_t* from) {
            const View out = image.view().part({0, first, g.width, last - first});
            if (g.depth == 8) {
              from_interleaved(from, out, static_cast<std::ptrdiff_t>(apart));
              return;
            }
            const std::size_t n = g.row_bytes / 2;
            std::vector<std::uint16_t> words(n * static_cast<std::size_t>(last - first));
            for (std::size_t i = 0; i < words.size(); ++i) {
              const std::uint8_t* b = from + apart * (i / n) + 2 * (i % n);
              words[i] = static_cast<std::uint16_t>(b[0] << 8 | b[1]);
            }
            from_interleaved(words.data(), out);
          });
  return true;
}

// The chunks behind the data, read by libpng as those of a picture of one pixel.
std::vector<std::uint8_t> tail_of(const Bytes& file, std::size_t after) {
  std::vector<std::uint8_t> out = {0x89, 'P', 'N', 'G', '\r', '\n', 0x1a, '\n'};
  append_chunk(out, "IHDR", {0, 0, 0, 1, 0, 0, 0, 1, 8, PNG_COLOR_TYPE_GRAY, 0, 0, 0});
  const std::uint8_t pixel[2] = {};
  append_chunk(out, "IDAT", zlib_stream(pixel, sizeof pixel, Compression::fast));
  out.insert(out.end(), file.data + after, file.data + file.size);
  return out;
}

// What its text chunks and its EXIF chunk say.
void take_words(PngReader& r, Loaded& loaded) {
  png_textp texts = nullptr;
  int count = 0;
  png_get_text(r.png, r.info, &texts, &count);
  for (int i = 0; i < count; ++i) {
    if (std::string(texts[i].key) == "Lean Sieve" && texts[i].text != nullptr) loaded.record = texts[i].text;
  }
  png_uint_32 size = 0;
  png_bytep exif = nullptr;
  if (png_get_eXIf_1(r.png, r.info, &size, &exif) != 0) {
    std::vector<std::uint8_t> block = {'E', 'x', 'i', 'f', 0, 0};
    block.insert(block.end(), exif, exif + size);
    if (orient(loaded.image, exif_orientation(block.data(), block.size())))
      loaded.note = "turned as its orientation tag says";
  }
}

}  // namespace

Loaded decode_png(const Bytes& file, const std::string& name, const Limits& limits) {
  PngReader r(name);
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
  const int w = static_cast<int>(width), h = static_cast<int>(height);
  const bool plain = type != PNG_COLOR_TYPE_PALETTE && !transparent && depth >= 8 && passes == 1;
  if (plain) {
    const Geometry g{w, h, png_get_channels(r.png, r.info), depth, png_get_rowbytes(r.png, r.info)};
    // libpng has read the length and type of the first data chunk.
    if (const auto data = data_of(file, source.at - 8); data && read_sound(*data, g, loaded.image)) {
      const std::vector<std::uint8_t> tail = tail_of(file, data->after);
      PngReader behind(name);
      Source rest{{tail.data(), tail.size()}};
      png_byte pixel = 0;
      behind.calls([&] {
        png_set_read_fn(behind.png, &rest, take);
        png_read_info(behind.png, behind.info);
        png_read_row(behind.png, &pixel, nullptr);
        png_read_end(behind.png, behind.info);
      });
      take_words(r, loaded);
      take_words(behind, loaded);
      return loaded;
    }
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
  if (depth == 16) {
    loaded.image = from_interleaved(reinterpret_cast<const std::uint16_t*>(samples.data()), w, h, channels,
                                    static_cast<std::ptrdiff_t>(row_bytes / 2));
  } else {
    loaded.image = from_interleaved(samples.data(), w, h, channels, static_cast<std::ptrdiff_t>(row_bytes),
                                    (1U << loaded.bits) - 1);
  }
  take_words(r, loaded);
  return loaded;
}

}  // namespace sieve::io
