#include <fmt/format.h>
#include <png.h>

#include <algorithm>
#include <cstdlib>
#include <cstring>
#include <memory>
#include <string_view>

#include "io/codec.hpp"
#include "io/png_calls.hpp"
#include "io/png_lanes.hpp"
#include "io/strip_queue.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

// Bytes that libpng reads: parts of the file, one after the other.
struct Source {
  std::vector<Bytes> parts;
  std::size_t part = 0, at = 0;
};

void take(png_structp png, png_bytep out, std::size_t n) {
  auto& s = *static_cast<Source*>(png_get_io_ptr(png));
  while (n > 0) {
    if (s.part == s.parts.size()) png_error(png, "it ends early");
    const Bytes& from = s.parts[s.part];
    const std::size_t k = std::min(n, from.size - s.at);
    std::memcpy(out, from.data + s.at, k);
    out += k, n -= k, s.at += k;
    if (s.at == from.size) ++s.part, s.at = 0;
  }
}

constexpr const char* kDamaged = "is a damaged or truncated PNG";

struct PngReader {
  CCalls calls;
  png_structp png = nullptr;
  png_infop info = nullptr;
  Source source;
  PngReader(const std::string& name, std::vector<Bytes> parts, const Limits& limits)
      : calls(name, kDamaged), source{std::move(parts)} {
    // Profiles and the record are the only compressed chunks that are read.
    constexpr std::uint64_t kMostOfChunk = std::uint64_t{1} << 23;
    const png_alloc_size_t most = std::min(kMostOfChunk, memory_limit(limits));
    calls([&] {
      png = png_create_read_struct(PNG_LIBPNG_VER_STRING, &calls, on_png_error, on_png_warning);
      info = png != nullptr ? png_create_info_struct(png) : nullptr;
      if (info == nullptr) return;
      png_set_read_fn(png, &source, take);
      png_set_user_limits(png, 0x7fffffff, 0x7fffffff);
      png_set_chunk_malloc_max(png, most);
    });
    if (info == nullptr) throw std::bad_alloc();
  }
  ~PngReader() { png_destroy_read_struct(&png, &info, nullptr); }
  PngReader(const PngReader&) = delete;
  PngReader& operator=(const PngReader&) = delete;
};

std::uint32_t number_at(const std::uint8_t* b) {
  return std::uint32_t{b[0]} << 24 | std::uint32_t{b[1]} << 16 | std::uint32_t{b[2]} << 8 | b[3];
}

// The chunks that are decoded, as they lie in the file with length, type and checksum. Others, the text chunks of other
// programs among them, are skipped without a look at their content.
struct Chunks {
  std::vector<Bytes> head, data, tail;  // before, of and after the samples
  bool may_turn = false;                // there is an EXIF chunk, which may hold an orientation
  bool has_record = false;              // one of the text chunks; further ones are skipped

  std::vector<Bytes> all(const Bytes& file) const {
    std::vector<Bytes> parts = {{file.data, kSignature}};
    for (const auto* some : {&head, &data, &tail}) parts.insert(parts.end(), some->begin(), some->end());
    return parts;
  }
  static constexpr std::size_t kSignature = 8, kAround = 12;
};

constexpr std::string_view kRecordKey = "Lean Sieve";

bool is_record(std::string_view type, std::string_view content) {
  const bool text = type == "tEXt" || type == "zTXt" || type == "iTXt";
  return text && content.starts_with(kRecordKey) && content.size() > kRecordKey.size() &&
         content[kRecordKey.size()] == 0;
}

// Critical chunks and those that change samples; libpng refuses critical ones that it does not know.
bool is_read(std::string_view type) {
  const bool critical = type[0] >= 'A' && type[0] <= 'Z';
  return critical || type == "tRNS" || type == "iCCP" || type == "eXIf";
}

Chunks chunks_of(const Bytes& file, const std::string& name) {
  Chunks c;
  const auto damaged = [&](const char* what) { fail(name, fmt::format("{} ({})", kDamaged, what)); };
  for (std::size_t at = Chunks::kSignature;;) {
    if (file.size - at < Chunks::kAround) damaged("it ends early");
    const std::size_t length = number_at(file.data + at);
    if (length > file.size - at - Chunks::kAround) damaged("a chunk is longer than the rest of the file");
    const auto* text = reinterpret_cast<const char*>(file.data + at);
    const std::string_view type(text + 4, 4), content(text + 8, length);
    const Bytes chunk{file.data + at, length + Chunks::kAround};
    at += chunk.size;
    if (type == "IDAT") {
      if (!c.tail.empty()) damaged("its data chunks are not in one run");
      c.data.push_back(chunk);
      continue;
    }
    const bool record = !c.has_record && is_record(type, content);
    c.has_record = c.has_record || record;
    if (record || is_read(type)) {
      (c.data.empty() ? c.head : c.tail).push_back(chunk);
      c.may_turn = c.may_turn || type == "eXIf";
      if (type == "IEND") return c;
    }
  }
}

// Its checksum is that of type and content.
bool sound(const Bytes& chunk) {
  const std::size_t n = chunk.size - 8;
  return crc_of(chunk.data + 4, n) == number_at(chunk.data + 4 + n);
}

struct Geometry {
  int width, height, channels, depth;
  std::size_t row_bytes;
};

// Bytes that are inflated as a whole. A stop is not noticed meanwhile, which takes less than a tenth of a second.
constexpr double kMostInflated = 48 << 20;

// Reads a sound file in a third of the time: inflated as a whole while the checksums are found, rows restored while
// those before become planes. False, with nothing done, where anything is not as it should be: libpng then says what.
bool read_sound(const std::vector<Bytes>& data, const Geometry& g, Image& image) {
  const auto height = static_cast<std::size_t>(g.height);
  const std::size_t raw_size = (g.row_bytes + 1) * height;
  if (static_cast<double>(raw_size) > kMostInflated) return false;
  std::vector<std::uint8_t> stream;
  std::size_t stream_size = 0;
  for (const Bytes& c : data) stream_size += c.size - Chunks::kAround;
  stream.reserve(stream_size);
  for (const Bytes& c : data) stream.insert(stream.end(), c.data + 8, c.data + c.size - 4);
  // A stream that says that it looks back less far than it may is held to it by libpng alone.
  if (stream.empty() || stream[0] != 0x78) return false;
  const auto raw = std::make_unique_for_overwrite<std::uint8_t[]>(raw_size + lanes::kAround);
  bool whole = false, all_sound = true;
  side_by_side([&] { whole = inflate_whole(stream.data(), stream.size(), raw.get(), raw_size); },
               [&] {
                 for (const Bytes& c : data) all_sound = all_sound && sound(c);
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

// Rows of interleaved samples, `apart` bytes from one to the next, to planes.
void take_rows(const std::uint8_t* from, std::size_t apart, const View& out) {
  if (out.white_level > 255) {
    from_interleaved(reinterpret_cast<const std::uint16_t*>(from), out, static_cast<std::ptrdiff_t>(apart / 2),
                     out.white_level);
  } else {
    from_interleaved(from, out, static_cast<std::ptrdiff_t>(apart), out.white_level);
  }
}

// What its text chunks and its EXIF chunk say.
void take_words(PngReader& r, Loaded& loaded) {
  png_textp texts = nullptr;
  int count = 0;
  png_get_text(r.png, r.info, &texts, &count);
  for (int i = 0; i < count; ++i) {
    if (texts[i].key == kRecordKey && texts[i].text != nullptr) loaded.record = texts[i].text;
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

// The chunks after the data, read as those of a picture of one pixel.
void read_tail(const Chunks& chunks, const std::string& name, const Limits& limits, Loaded& loaded) {
  std::vector<std::uint8_t> before = {0x89, 'P', 'N', 'G', '\r', '\n', 0x1a, '\n'};
  append_chunk(before, "IHDR", {0, 0, 0, 1, 0, 0, 0, 1, 8, PNG_COLOR_TYPE_GRAY, 0, 0, 0});
  const std::uint8_t zeros[2] = {};
  append_chunk(before, "IDAT", zlib_stream(zeros, sizeof zeros, Compression::fast));
  std::vector<Bytes> parts = {{before.data(), before.size()}};
  parts.insert(parts.end(), chunks.tail.begin(), chunks.tail.end());
  PngReader r(name, std::move(parts), limits);
  png_byte pixel = 0;
  r.calls([&] {
    png_read_info(r.png, r.info);
    png_read_row(r.png, &pixel, nullptr);
    png_read_end(r.png, r.info);
  });
  take_words(r, loaded);
}

// Row by row, without a copy of the whole file's samples.
void read_rows(PngReader& r, std::size_t row_bytes, const View& out) {
  StripQueue(out.height(), (row_bytes + 1) / 2 * 2)
      .run([&](int, std::uint8_t* row) { r.calls([&] { png_read_row(r.png, row, nullptr); }); },
           [&](int first, int last, const std::uint8_t* from) {
             take_rows(from, (row_bytes + 1) / 2 * 2, out.part({0, first, out.width(), last - first}));
           });
}

// Passes over an interlaced picture fill a buffer of its size. It comes zeroed, so passes that are missing take no
// memory.
void read_passes(PngReader& r, std::size_t row_bytes, int passes, const View& out) {
  const auto height = static_cast<std::size_t>(out.height());
  const std::size_t apart = (row_bytes + 1) / 2 * 2;
  const std::unique_ptr<std::uint8_t, decltype(&std::free)> samples(
      static_cast<std::uint8_t*>(std::calloc(height, apart)), &std::free);
  if (samples == nullptr) throw std::bad_alloc();
  for (int pass = 0; pass < passes; ++pass) {
    for (std::size_t y = 0; y < height; ++y) {
      checkpoint();
      r.calls([&] { png_read_row(r.png, samples.get() + apart * y, nullptr); });
    }
  }
  take_rows(samples.get(), apart, out);
}

}  // namespace

Loaded decode_png(const Bytes& file, const std::string& name, const Limits& limits) {
  const Chunks chunks = chunks_of(file, name);
  PngReader r(name, chunks.all(file), limits);
  r.calls([&] { png_read_info(r.png, r.info); });
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
  const int channels = (type == PNG_COLOR_TYPE_PALETTE ? 3 : png_get_channels(r.png, r.info)) + (transparent ? 1 : 0);
  // The fast way takes all rows and a copy of the data; an interlaced picture its samples; an orientation a second
  // image.
  const double interleaved = static_cast<double>(width) * height * channels * (depth == 16 ? 2 : 1),
               working = passes > 1 ? interleaved : std::min(raw, kMostInflated) + static_cast<double>(file.size),
               turned = chunks.may_turn ? interleaved * sizeof(float) : 0;
  check_memory(width, height, channels, working + turned, name, limits);
  const bool plain = type != PNG_COLOR_TYPE_PALETTE && !transparent && depth >= 8 && passes == 1;
  if (plain) {
    const Geometry g{w, h, png_get_channels(r.png, r.info), depth, png_get_rowbytes(r.png, r.info)};
    if (read_sound(chunks.data, g, loaded.image)) {
      take_words(r, loaded);
      read_tail(chunks, name, limits, loaded);
      return loaded;
    }
  }
  r.calls([&] { png_read_update_info(r.png, r.info); });
  loaded.image = Image(Shape{w, h, png_get_channels(r.png, r.info)}, (1U << loaded.bits) - 1);
  const std::size_t row_bytes = png_get_rowbytes(r.png, r.info);
  if (passes == 1) {
    read_rows(r, row_bytes, loaded.image.view());
  } else {
    read_passes(r, row_bytes, passes, loaded.image.view());
  }
  r.calls([&] { png_read_end(r.png, r.info); });
  take_words(r, loaded);
  return loaded;
}

}  // namespace sieve::io
