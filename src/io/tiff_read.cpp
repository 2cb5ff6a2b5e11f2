// TIFF, read: strips and tiles side by side, each group of them through a handle of its own.

#include <fmt/format.h>
#include <tiffio.h>

#include <algorithm>
#include <cmath>
#include <cstring>
#include <memory>

#include "io/codec.hpp"
#include "io/tiff_memory.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

struct Layout {
  std::uint32_t width = 0, height = 0;
  std::uint16_t bits = 1, samples = 1, photometric = 0, planar = PLANARCONFIG_CONTIG, format = SAMPLEFORMAT_UINT;
  int channels = 1;  // of the picture that comes out
};

// Sample i of a run of packed samples, on the 0..1 scale.
float sample_at(const std::uint8_t* row, std::size_t i, const Layout& l) {
  if (l.format == SAMPLEFORMAT_IEEEFP) {
    if (l.bits == 64) {
      double d = 0;
      std::memcpy(&d, row + 8 * i, 8);
      return static_cast<float>(d);
    }
    float f = 0;
    std::memcpy(&f, row + 4 * i, 4);
    return f;
  }
  if (l.bits == 8) return static_cast<float>(row[i]) / 255.0F;
  if (l.bits == 16) {
    std::uint16_t v = 0;
    std::memcpy(&v, row + 2 * i, 2);
    return static_cast<float>(v) / 65535.0F;
  }
  if (l.bits == 32) {
    std::uint32_t v = 0;
    std::memcpy(&v, row + 4 * i, 4);
    return static_cast<float>(v / 4294967295.0);
  }
  // 1, 2 and 4 bits, and odd depths up to 16: the highest bit first.
  std::uint32_t v = 0;
  for (std::size_t b = i * l.bits; b < (i + 1) * l.bits; ++b) v = v << 1 | (row[b / 8] >> (7 - b % 8) & 1);
  return static_cast<float>(v) / static_cast<float>((1U << l.bits) - 1);
}

Layout layout_of(TIFF* t, const std::string& name, const Limits& limits) {
  Layout l;
  if (TIFFGetField(t, TIFFTAG_IMAGEWIDTH, &l.width) == 0 || TIFFGetField(t, TIFFTAG_IMAGELENGTH, &l.height) == 0) {
    fail(name, "is a damaged TIFF (it names no size)");
  }
  check_size(l.width, l.height, name, limits);
  TIFFGetFieldDefaulted(t, TIFFTAG_BITSPERSAMPLE, &l.bits);
  TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLESPERPIXEL, &l.samples);
  TIFFGetFieldDefaulted(t, TIFFTAG_PLANARCONFIG, &l.planar);
  TIFFGetFieldDefaulted(t, TIFFTAG_SAMPLEFORMAT, &l.format);
  if (TIFFGetField(t, TIFFTAG_PHOTOMETRIC, &l.photometric) == 0)
    l.photometric = l.samples >= 3 ? PHOTOMETRIC_RGB : PHOTOMETRIC_MINISBLACK;
  if (l.format == SAMPLEFORMAT_VOID) l.format = SAMPLEFORMAT_UINT;
  const bool integer = l.format == SAMPLEFORMAT_UINT && (l.bits <= 16 || l.bits == 32) && l.bits > 0;
  const bool real = l.format == SAMPLEFORMAT_IEEEFP && (l.bits == 32 || l.bits == 64);
  if (!integer && !real)
    fail(
        name,
        fmt::format(
            "is a TIFF with {}-bit samples of a kind that is not read here; save it with 8, 16 or 32-bit float samples",
            l.bits));
  std::uint16_t compression = COMPRESSION_NONE;
  TIFFGetFieldDefaulted(t, TIFFTAG_COMPRESSION, &compression);
  if (TIFFIsCODECConfigured(compression) == 0)
    fail(name, fmt::format("is a TIFF with compression {}, which is not read here; save it with LZW, Deflate or none",
                           compression));
  if (l.photometric == PHOTOMETRIC_YCBCR && compression == COMPRESSION_JPEG) {
    TIFFSetField(t, TIFFTAG_JPEGCOLORMODE, JPEGCOLORMODE_RGB);
    l.photometric = PHOTOMETRIC_RGB;
  }
  switch (l.photometric) {
    case PHOTOMETRIC_MINISBLACK:
    case PHOTOMETRIC_MINISWHITE:
      l.channels = l.samples >= 2 ? 2 : 1;
      break;
    case PHOTOMETRIC_RGB:
      if (l.samples < 3) fail(name, "is a damaged TIFF (RGB with fewer than 3 samples a pixel)");
      l.channels = l.samples >= 4 ? 4 : 3;
      break;
    case PHOTOMETRIC_PALETTE:
      if (l.samples != 1 || l.bits > 8)
        fail(name, "is a TIFF with a palette of a kind that is not read here; save it as RGB");
      l.channels = 3;
      break;
    default:
      fail(name,
           fmt::format("is a TIFF in a color space (photometric {}) that is not read here; save it as gray or RGB",
                       l.photometric));
  }
  return l;
}

// Palette and kinds of samples that are taken one by one.
struct Samples {
  const Layout& l;
  const std::uint16_t* palette[3];

  void place(const View& out, int x, int y, int sample, float v) const {
    if (palette[0] != nullptr) {
      const auto i = static_cast<std::size_t>(std::lround(v * static_cast<float>((1 << l.bits) - 1)));
      for (int c = 0; c < 3; ++c) out.at(x, y, c) = static_cast<float>(palette[c][i]) / 65535.0F;
    } else if (sample < l.channels) {
      out.at(x, y, sample) = l.photometric == PHOTOMETRIC_MINISWHITE && sample == 0 ? 1 - v : v;
    }
  }

  // Rows of packed samples, `row_bytes` apart, to a part of the picture: `together` samples a pixel, the first of which
  // is number `first`.
  void take(const std::uint8_t* from, std::size_t row_bytes, int together, int first, const View& out) const {
    const bool plain = palette[0] == nullptr && l.photometric != PHOTOMETRIC_MINISWHITE && l.bits != 64 &&
                       (l.format == SAMPLEFORMAT_IEEEFP || l.bits == 8 || l.bits == 16);
    const std::size_t bytes = l.bits / 8U;
    if (plain && (together == l.channels || together == 1) && row_bytes % bytes == 0) {
      if (first >= l.channels) return;
      const View to = together == l.channels ? out : out.channel(first);
      const auto stride = static_cast<std::ptrdiff_t>(row_bytes / bytes);
      if (l.bits == 8) return from_interleaved(from, to, stride);
      if (l.bits == 16) return from_interleaved(reinterpret_cast<const std::uint16_t*>(from), to, stride);
      return from_interleaved(reinterpret_cast<const float*>(from), to, stride);
    }
    for (int y = 0; y < out.height(); ++y) {
      const std::uint8_t* row = from + row_bytes * static_cast<std::size_t>(y);
      for (int x = 0; x < out.width(); ++x) {
        for (int s = 0; s < together; ++s)
          place(out, x, y, first + s,
                sample_at(
                    row, static_cast<std::size_t>(x) * static_cast<std::size_t>(together) + static_cast<std::size_t>(s),
                    l));
      }
    }
  }
};

// Of any codec: a blank page of 20,000 rows as a fax of 1 bit each.
constexpr double kMostExpansion = 20000;

// How many bytes a byte of compressed data can become: the formats' own bounds for LZW (4096 codes of 9 bits and more),
// Deflate, PackBits and fax (a bit a row), and for the others more than is seen in files.
double most_expansion(std::uint16_t compression, double row_bytes) {
  switch (compression) {
    case COMPRESSION_NONE:
      return 1;
    case COMPRESSION_PACKBITS:
      return 64;
    case COMPRESSION_DEFLATE:
    case COMPRESSION_ADOBE_DEFLATE:
      return 1040;
    case COMPRESSION_LZW:
      return 4096;
    case COMPRESSION_CCITTRLE:
    case COMPRESSION_CCITTRLEW:
    case COMPRESSION_CCITTFAX3:
    case COMPRESSION_CCITTFAX4:
      return std::min(8 * row_bytes, kMostExpansion);
    default:
      return kMostExpansion;
  }
}

// How the samples lie in the file: chunks are strips or tiles.
struct TiffChunks {
  bool tiled;
  tmsize_t bytes;
  std::uint32_t width, height;  // of one
  int planes, together;         // planes that are read
  int across, down;

  TiffChunks(TIFF* t, const Layout& l) : tiled(TIFFIsTiled(t) != 0), bytes(tiled ? TIFFTileSize(t) : TIFFStripSize(t)) {
    const bool separate = l.planar == PLANARCONFIG_SEPARATE && l.samples > 1;
    planes = separate ? std::min<int>(l.samples, l.channels) : 1;
    together = separate ? 1 : l.samples;
    width = l.width;
    height = 0;
    if (tiled) {
      TIFFGetField(t, TIFFTAG_TILEWIDTH, &width);
      TIFFGetField(t, TIFFTAG_TILELENGTH, &height);
    } else {
      TIFFGetFieldDefaulted(t, TIFFTAG_ROWSPERSTRIP, &height);
      height = std::min(height, l.height);
    }
    across = width == 0 ? 0 : static_cast<int>((l.width - 1) / width + 1);
    down = height == 0 ? 0 : static_cast<int>((l.height - 1) / height + 1);
  }
  std::size_t row_bytes(const Layout& l) const {
    return (static_cast<std::size_t>(width) * static_cast<std::size_t>(together) * l.bits + 7) / 8;
  }
  std::int64_t count() const { return std::int64_t{across} * down * planes; }
};

}  // namespace

namespace {
// What the library may allocate for a directory, however low the limit.
constexpr std::uint64_t kDirectories = std::uint64_t{1} << 20;
}  // namespace

Loaded decode_tiff(const Bytes& file, const std::string& name, const Limits& limits) {
  const auto damaged = [&](const TiffMemory& m) {
    fail(name, fmt::format("is a damaged or truncated TIFF ({})", m.last_error.empty() ? "unreadable" : m.last_error));
  };
  const auto begin = [&](TiffMemory& m) {
    m.in = file.data;
    m.size = file.size;
    TiffHandle t = open_tiff(m, "rm", name, std::max(memory_limit(limits), kDirectories));
    if (!t) damaged(m);
    return t;
  };
  TiffMemory memory;
  const TiffHandle handle = begin(memory);
  TIFF* t = handle.get();
  const Layout l = layout_of(t, name, limits);
  const TiffChunks chunks(t, l);
  if (chunks.bytes <= 0 || chunks.count() == 0) damaged(memory);
  std::uint16_t compression = COMPRESSION_NONE, orientation = 1;
  TIFFGetFieldDefaulted(t, TIFFTAG_COMPRESSION, &compression);
  TIFFGetField(t, TIFFTAG_ORIENTATION, &orientation);
  const double row = (static_cast<double>(l.width) * l.samples * l.bits + 7) / 8, whole = row * l.height;
  // Small pictures may lie in a tile that is larger than they are.
  constexpr double kSmall = 16 << 20;
  const auto chunk_bytes = static_cast<double>(chunks.bytes);
  if (chunk_bytes > std::max(kSmall, 4 * whole))
    fail(name, fmt::format("is a damaged TIFF (its tiles have {} bytes, its {}x{} pixels {:.0f})", chunks.bytes,
                           l.width, l.height, whole));
  const double expansion = most_expansion(compression, row);
  if (whole > expansion * static_cast<double>(file.size)) {
    fail(name,
         fmt::format("its header says {}x{} pixels, more than its {} bytes can hold", l.width, l.height, file.size));
  }
  const double buffers = chunk_bytes * static_cast<double>(std::min<std::int64_t>(chunks.count(), threads())),
               turned = orientation > 1 ? 4.0 * l.width * l.height * l.channels : 0;
  check_memory(l.width, l.height, l.channels, buffers + static_cast<double>(file.size) + turned, name, limits);

  Loaded loaded;
  loaded.format = Format::tiff;
  loaded.bits = l.photometric == PHOTOMETRIC_PALETTE              ? 16
                : l.format == SAMPLEFORMAT_IEEEFP || l.bits == 32 ? 32
                                                                  : l.bits;
  loaded.image = Image(Shape{static_cast<int>(l.width), static_cast<int>(l.height), l.channels},
                       loaded.bits == 32 ? 0 : (1U << loaded.bits) - 1);
  std::uint16_t *red = nullptr, *green = nullptr, *blue = nullptr;
  if (l.photometric == PHOTOMETRIC_PALETTE && TIFFGetField(t, TIFFTAG_COLORMAP, &red, &green, &blue) == 0)
    damaged(memory);
  const Samples samples{l, {red, green, blue}};
  const std::size_t row_bytes = chunks.row_bytes(l);

  // So many chunks through one handle that opening it is worth it.
  constexpr std::int64_t kTogether = std::int64_t{1} << 20;
  const std::int64_t group = std::clamp<std::int64_t>(kTogether / chunks.bytes, 1, chunks.count());
  parallel_rows(
      static_cast<int>((chunks.count() - 1) / group + 1), RowCost(chunks.bytes * group, 10),
      [&](int first, int last) {
        TiffMemory own;
        const TiffHandle part = begin(own);
        (void)layout_of(part.get(), name, limits);
        const auto buffer = std::make_unique_for_overwrite<std::uint8_t[]>(static_cast<std::size_t>(chunks.bytes));
        for (std::int64_t i = first * group; i < std::min(chunks.count(), last * group); ++i) {
          checkpoint();
          const auto plane = static_cast<std::uint16_t>(i / (std::int64_t{chunks.across} * chunks.down));
          const auto x0 = static_cast<std::uint32_t>(i % chunks.across) * chunks.width,
                     y0 = static_cast<std::uint32_t>(i / chunks.across % chunks.down) * chunks.height;
          const std::uint32_t rows = std::min(chunks.height, l.height - y0),
                              columns = std::min(chunks.width, l.width - x0);
          const std::size_t needed = row_bytes * (chunks.tiled ? chunks.height : rows);
          const std::uint32_t number =
              chunks.tiled ? TIFFComputeTile(part.get(), x0, y0, 0, plane) : TIFFComputeStrip(part.get(), y0, plane);
          // Before the buffer is filled: one that is given up would be cleared.
          constexpr double kAround = 1024;
          const auto stored = static_cast<double>(TIFFGetStrileByteCount(part.get(), number));
          if (static_cast<double>(needed) > expansion * (stored + kAround)) {
            fail(name, fmt::format("is a damaged or truncated TIFF ({} {} has {:.0f} bytes, too few for its samples)",
                                   chunks.tiled ? "tile" : "strip", number, stored));
          }
          // Some codecs leave out rows that are damaged.
          if (compression != COMPRESSION_NONE) std::memset(buffer.get(), 0, static_cast<std::size_t>(chunks.bytes));
          const tmsize_t got = chunks.tiled ? TIFFReadEncodedTile(part.get(), number, buffer.get(), chunks.bytes)
                                            : TIFFReadEncodedStrip(part.get(), number, buffer.get(), chunks.bytes);
          if (got < 0 || static_cast<std::size_t>(got) < needed) damaged(own);
          samples.take(buffer.get(), row_bytes, chunks.together, plane,
                       loaded.image.view().part({static_cast<int>(x0), static_cast<int>(y0), static_cast<int>(columns),
                                                 static_cast<int>(rows)}));
        }
      },
      1);
  std::uint32_t profile_size = 0;
  void* profile = nullptr;
  if (TIFFGetField(t, TIFFTAG_ICCPROFILE, &profile_size, &profile) != 0) {
    const auto* p = static_cast<const std::uint8_t*>(profile);
    loaded.profile.assign(p, p + profile_size);
  }
  char* description = nullptr;
  if (TIFFGetField(t, TIFFTAG_IMAGEDESCRIPTION, &description) != 0 &&
      std::string(description).starts_with(kRecordMark)) {
    loaded.record = description + std::strlen(kRecordMark);
  }
  if (orient(loaded.image, orientation)) loaded.note = "turned as its orientation tag says";
  return loaded;
}

}  // namespace sieve::io
