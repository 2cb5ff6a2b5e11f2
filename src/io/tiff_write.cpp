// TIFF, written: its fields by libtiff; strips predicted and compressed side by side.

#include <tiffio.h>

#include <algorithm>
#include <cstring>

#include "io/codec.hpp"
#include "io/deflate.hpp"
#include "io/row_parts.hpp"
#include "io/tiff_memory.hpp"

namespace sieve::io {

namespace {

// What is left of a row of integers when the pixel before is taken away (TIFF 6.0, section 14).
template <class T>
void differences(T* row, std::size_t n, std::size_t channels) {
  for (std::size_t i = n; i-- > channels;) row[i] = static_cast<T>(row[i] - row[i - channels]);
}

// Of floats: the bytes of equal weight behind each other, the highest first, then their differences (TIFF Technical
// Note 3).
void float_differences(std::uint8_t* row, std::size_t n, std::size_t channels, std::vector<std::uint8_t>& spare) {
  spare.assign(row, row + 4 * n);
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t b = 0; b < 4; ++b) row[(3 - b) * n + i] = spare[4 * i + b];
  }
  differences(row, 4 * n, channels);
}

struct Strips {
  const Encoding& e;
  std::size_t row_samples, row_bytes;
  RowParts parts;

  explicit Strips(const Encoding& encoding)
      : e(encoding),
        row_samples(static_cast<std::size_t>(e.image.width()) * static_cast<std::size_t>(e.image.channels())),
        row_bytes(row_samples * static_cast<std::size_t>(e.bits / 8)),
        parts(e.image.height(), row_bytes) {}

  std::vector<std::uint8_t> compressed(int strip, bool predicted, Saturation& lost) const {
    const int first = parts.first(strip), height = parts.last(strip) - first;
    const ConstView part = e.image.part({0, first, e.image.width(), height});
    std::vector<std::uint8_t> bytes(row_bytes * static_cast<std::size_t>(height)), spare;
    if (e.bits == 8) {
      lost = to_interleaved(part, bytes.data(), 0, e.white_level);
    } else if (e.bits == 16) {
      lost = to_interleaved(part, reinterpret_cast<std::uint16_t*>(bytes.data()), 0, e.white_level);
    } else {
      to_interleaved(part, reinterpret_cast<float*>(bytes.data()));
    }
    const auto channels = static_cast<std::size_t>(e.image.channels());
    for (int y = 0; predicted && y < height; ++y) {
      std::uint8_t* row = bytes.data() + row_bytes * static_cast<std::size_t>(y);
      if (e.bits == 8) {
        differences(row, row_samples, channels);
      } else if (e.bits == 16) {
        differences(reinterpret_cast<std::uint16_t*>(row), row_samples, channels);
      } else {
        float_differences(row, row_samples, channels, spare);
      }
    }
    return zlib_stream(bytes.data(), bytes.size(), e.options.compression);
  }
};

}  // namespace

std::vector<std::uint8_t> encode_tiff(const Encoding& e) {
  const Strips strips(e);
  // Taken is what makes the middle of the picture smaller.
  Saturation ignored;
  const int middle = strips.parts.count() / 2;
  const bool predicted =
      strips.compressed(middle, true, ignored).size() < strips.compressed(middle, false, ignored).size();
  std::vector<std::vector<std::uint8_t>> all(static_cast<std::size_t>(strips.parts.count()));
  e.written.saturation = strips.parts.each([&](int i) {
    Saturation lost;
    all[static_cast<std::size_t>(i)] = strips.compressed(i, predicted, lost);
    return lost;
  });

  TiffMemory memory;
  memory.writing = true;
  std::size_t total = 1 << 20;
  for (const auto& s : all) total += s.size();
  memory.out.reserve(total);
  const int width = e.image.width(), height = e.image.height(), channels = e.image.channels();
  const int predictor = !predicted ? PREDICTOR_NONE : e.bits == 32 ? PREDICTOR_FLOATINGPOINT : PREDICTOR_HORIZONTAL;
  {
    // Beyond 4 GB the offsets of plain TIFF run out.
    const TiffHandle handle = open_tiff(memory, total > 0xf0000000U ? "w8" : "w", e.name, std::uint64_t{1} << 62);
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
    TIFFSetField(t, TIFFTAG_PREDICTOR, predictor);
    TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, strips.parts.rows());
    if (e.image.shape.has_alpha()) {
      const std::uint16_t kind = EXTRASAMPLE_UNASSALPHA;
      TIFFSetField(t, TIFFTAG_EXTRASAMPLES, 1, &kind);
    }
    if (!e.options.record.empty()) TIFFSetField(t, TIFFTAG_IMAGEDESCRIPTION, (kRecordMark + e.options.record).c_str());
    if (!e.options.profile.empty())
      TIFFSetField(t, TIFFTAG_ICCPROFILE, static_cast<std::uint32_t>(e.options.profile.size()),
                   e.options.profile.data());
    for (std::size_t i = 0; i < all.size(); ++i) {
      if (TIFFWriteRawStrip(t, static_cast<std::uint32_t>(i), all[i].data(), static_cast<tmsize_t>(all[i].size())) < 0)
        fail(e.name, "cannot be encoded: " + memory.last_error);
    }
  }
  return std::move(memory.out);
}

}  // namespace sieve::io
