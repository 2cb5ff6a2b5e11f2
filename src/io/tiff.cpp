#include <fmt/format.h>
#include <tiffio.h>

#include <algorithm>
#include <cmath>
#include <cstdarg>
#include <cstring>
#include <memory>

#include "io/codec.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

// A file in memory, read or written, as libtiff wants to see one.
struct Memory {
  const std::uint8_t* in = nullptr;
  std::size_t size = 0;
  std::vector<std::uint8_t> out;
  std::size_t at = 0;
  bool writing = false;
  std::string last_error;
};

tmsize_t read_some(thandle_t h, void* to, tmsize_t n) {
  auto* m = static_cast<Memory*>(h);
  const std::uint8_t* from = m->writing ? m->out.data() : m->in;
  const std::size_t have = m->writing ? m->out.size() : m->size;
  const std::size_t k = m->at >= have ? 0 : std::min(static_cast<std::size_t>(n), have - m->at);
  if (k > 0) std::memcpy(to, from + m->at, k);
  m->at += k;
  return static_cast<tmsize_t>(k);
}
tmsize_t write_some(thandle_t h, void* from, tmsize_t n) {
  auto* m = static_cast<Memory*>(h);
  const auto k = static_cast<std::size_t>(n);
  if (m->out.size() < m->at + k) m->out.resize(m->at + k);
  std::memcpy(m->out.data() + m->at, from, k);
  m->at += k;
  return n;
}
toff_t seek(thandle_t h, toff_t offset, int whence) {
  auto* m = static_cast<Memory*>(h);
  const std::size_t end = m->writing ? m->out.size() : m->size;
  m->at = whence == SEEK_SET ? offset : whence == SEEK_CUR ? m->at + offset : end + offset;
  return m->at;
}
toff_t size_of(thandle_t h) {
  const auto* m = static_cast<Memory*>(h);
  return m->writing ? m->out.size() : m->size;
}
int close_nothing(thandle_t) { return 0; }

int on_error(TIFF*, void* h, const char*, const char* format, va_list arguments) {
  char text[512];
  std::vsnprintf(text, sizeof text, format, arguments);
  if (h != nullptr && static_cast<Memory*>(h)->last_error.empty()) static_cast<Memory*>(h)->last_error = text;
  return 1;
}
int on_warning(TIFF*, void*, const char*, const char*, va_list) { return 1; }

struct Closer {
  void operator()(TIFF* t) const { TIFFClose(t); }
};
using Handle = std::unique_ptr<TIFF, Closer>;

Handle open(Memory& memory, const char* mode, const std::string& name) {
  TIFFOpenOptions* options = TIFFOpenOptionsAlloc();
  if (options == nullptr) throw std::bad_alloc();
  TIFFOpenOptionsSetErrorHandlerExtR(options, on_error, &memory);
  TIFFOpenOptionsSetWarningHandlerExtR(options, on_warning, &memory);
  Handle t(TIFFClientOpenExt(name.c_str(), mode, &memory, read_some, write_some, seek, close_nothing, size_of, nullptr,
                             nullptr, options));
  TIFFOpenOptionsFree(options);
  return t;
}

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

}  // namespace

Loaded decode_tiff(const Bytes& file, const std::string& name, const Limits& limits) {
  Memory memory;
  memory.in = file.data;
  memory.size = file.size;
  const auto damaged = [&]() {
    fail(name, fmt::format("is a damaged or truncated TIFF ({})",
                           memory.last_error.empty() ? "unreadable" : memory.last_error));
  };
  const Handle handle = open(memory, "rm", name);
  if (!handle) damaged();
  TIFF* t = handle.get();
  const Layout l = layout_of(t, name, limits);
  const bool tiled = TIFFIsTiled(t) != 0, separate = l.planar == PLANARCONFIG_SEPARATE && l.samples > 1;
  const tmsize_t chunk = tiled ? TIFFTileSize(t) : TIFFStripSize(t);
  // A chunk larger than the whole picture with some room is a header that lies.
  const double whole =
      static_cast<double>(l.width + 4096.0) * (l.height + 4096.0) * l.samples * std::max<int>(l.bits, 8) / 8;
  if (chunk <= 0 || static_cast<double>(chunk) > whole) damaged();
  // Compression gains at most about a thousand to one (LZW, Deflate; fax codes do better on blank pages).
  if (static_cast<double>(l.width) * l.height * l.samples * l.bits / 8 / 100000 > static_cast<double>(file.size)) {
    fail(name,
         fmt::format("its header says {}x{} pixels, more than its {} bytes can hold", l.width, l.height, file.size));
  }

  Loaded loaded;
  loaded.format = Format::tiff;
  loaded.bits = l.photometric == PHOTOMETRIC_PALETTE              ? 16
                : l.format == SAMPLEFORMAT_IEEEFP || l.bits == 32 ? 32
                                                                  : l.bits;
  loaded.image = Image(Shape{static_cast<int>(l.width), static_cast<int>(l.height), l.channels},
                       loaded.bits == 32 ? 0 : (1U << loaded.bits) - 1);
  std::uint16_t *red = nullptr, *green = nullptr, *blue = nullptr;
  if (l.photometric == PHOTOMETRIC_PALETTE && TIFFGetField(t, TIFFTAG_COLORMAP, &red, &green, &blue) == 0) damaged();
  const View out = loaded.image.view();
  const auto place = [&](std::uint32_t x, std::uint32_t y, int sample, float v) {
    if (x >= l.width || y >= l.height) return;
    const int px = static_cast<int>(x), py = static_cast<int>(y);
    if (red != nullptr) {
      const auto i = static_cast<std::size_t>(std::lround(v * static_cast<float>((1 << l.bits) - 1)));
      const std::uint16_t* maps[] = {red, green, blue};
      for (int c = 0; c < 3; ++c) out.at(px, py, c) = static_cast<float>(maps[c][i]) / 65535.0F;
    } else if (sample < l.channels) {
      out.at(px, py, sample) = l.photometric == PHOTOMETRIC_MINISWHITE && sample == 0 ? 1 - v : v;
    }
  };
  std::vector<std::uint8_t> buffer(static_cast<std::size_t>(chunk));
  const int planes = separate ? l.samples : 1, together = separate ? 1 : l.samples;
  std::uint32_t step_x = l.width, step_y = 0;
  if (tiled) {
    TIFFGetField(t, TIFFTAG_TILEWIDTH, &step_x);
    TIFFGetField(t, TIFFTAG_TILELENGTH, &step_y);
  } else {
    TIFFGetFieldDefaulted(t, TIFFTAG_ROWSPERSTRIP, &step_y);
    step_y = std::min(step_y, l.height);
  }
  if (step_x == 0 || step_y == 0) damaged();
  const std::size_t row_bytes =
      (static_cast<std::size_t>(step_x) * static_cast<std::size_t>(together) * l.bits + 7) / 8;
  for (int plane = 0; plane < planes; ++plane) {
    for (std::uint32_t y0 = 0; y0 < l.height; y0 += step_y) {
      for (std::uint32_t x0 = 0; x0 < l.width; x0 += step_x) {
        checkpoint();
        const auto p = static_cast<std::uint16_t>(plane);
        const tmsize_t got = tiled ? TIFFReadEncodedTile(t, TIFFComputeTile(t, x0, y0, 0, p), buffer.data(), chunk)
                                   : TIFFReadEncodedStrip(t, TIFFComputeStrip(t, y0, p), buffer.data(), chunk);
        const std::uint32_t rows = std::min(step_y, l.height - y0);
        if (got < 0 || static_cast<std::size_t>(got) < row_bytes * (tiled ? step_y : rows)) damaged();
        for (std::uint32_t y = 0; y < rows; ++y) {
          const std::uint8_t* row = buffer.data() + row_bytes * y;
          for (std::uint32_t x = 0; x < std::min(step_x, l.width - x0); ++x) {
            for (int s = 0; s < together; ++s) {
              place(x0 + x, y0 + y, separate ? plane : s,
                    sample_at(
                        row,
                        static_cast<std::size_t>(x) * static_cast<std::size_t>(together) + static_cast<std::size_t>(s),
                        l));
            }
          }
        }
      }
    }
  }
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
  std::uint16_t orientation = 1;
  if (TIFFGetField(t, TIFFTAG_ORIENTATION, &orientation) != 0 && orient(loaded.image, orientation)) {
    loaded.note = "turned as its orientation tag says";
  }
  return loaded;
}

std::vector<std::uint8_t> encode_tiff(const Encoding& e) {
  Memory memory;
  memory.writing = true;
  const int width = e.image.width(), height = e.image.height(), channels = e.image.channels();
  const auto n = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels);
  const auto bytes_each = static_cast<std::size_t>(e.bits / 8);
  // Border 4 GB the offsets of plain TIFF run out.
  const bool big = n * static_cast<std::size_t>(height) * bytes_each > 0xf0000000U;
  {
    const Handle handle = open(memory, big ? "w8" : "w", e.name);
    if (!handle) throw std::bad_alloc();
    TIFF* t = handle.get();
    TIFFSetField(t, TIFFTAG_IMAGEWIDTH, static_cast<std::uint32_t>(width));
    TIFFSetField(t, TIFFTAG_IMAGELENGTH, static_cast<std::uint32_t>(height));
    TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, channels);
    TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, e.bits);
    TIFFSetField(t, TIFFTAG_SAMPLEFORMAT, e.bits == 32 ? SAMPLEFORMAT_IEEEFP : SAMPLEFORMAT_UINT);
    TIFFSetField(t, TIFFTAG_PHOTOMETRIC, channels >= 3 ? PHOTOMETRIC_RGB : PHOTOMETRIC_MINISBLACK);
    TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
    TIFFSetField(t, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
    TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_ADOBE_DEFLATE);
    TIFFSetField(t, TIFFTAG_PREDICTOR, e.bits == 32 ? PREDICTOR_FLOATINGPOINT : PREDICTOR_HORIZONTAL);
    TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, TIFFDefaultStripSize(t, 0));
    if (e.image.shape.has_alpha()) {
      const std::uint16_t kind = EXTRASAMPLE_UNASSALPHA;
      TIFFSetField(t, TIFFTAG_EXTRASAMPLES, 1, &kind);
    }
    if (!e.options.record.empty()) TIFFSetField(t, TIFFTAG_IMAGEDESCRIPTION, (kRecordMark + e.options.record).c_str());
    if (!e.options.profile.empty())
      TIFFSetField(t, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(e.options.profile.size()),
                   e.options.profile.data());
    std::vector<std::uint8_t> line(n * bytes_each);
    for (int y = 0; y < height; ++y) {
      checkpoint();
      const ConstView row = e.image.part({0, y, width, 1});
      Saturation s;
      if (e.bits == 8) {
        s = to_interleaved(row, line.data());
      } else if (e.bits == 16) {
        s = to_interleaved(row, reinterpret_cast<std::uint16_t*>(line.data()));
      } else {
        to_interleaved(row, reinterpret_cast<float*>(line.data()));
      }
      e.written.saturation.below += s.below;
      e.written.saturation.above += s.above;
      e.written.saturation.not_a_number += s.not_a_number;
      if (TIFFWriteScanline(t, line.data(), static_cast<std::uint32_t>(y), 0) < 0)
        fail(e.name, "cannot be encoded: " + memory.last_error);
    }
  }
  return std::move(memory.out);
}

}  // namespace sieve::io
