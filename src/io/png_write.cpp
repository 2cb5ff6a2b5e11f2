// PNG, written: the chunks around the picture by libpng; rows predicted and compressed in parts side by side.

#include <fmt/format.h>
#include <png.h>

#include <algorithm>

#include "io/codec.hpp"
#include "io/deflate.hpp"
#include "io/png_calls.hpp"
#include "io/png_lanes.hpp"
#include "io/row_parts.hpp"

namespace sieve::io {

namespace {

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

struct PngWriter {
  CCalls calls;
  png_structp png = nullptr;
  png_infop info = nullptr;
  explicit PngWriter(const std::string& name) : calls(name, "cannot be written as PNG") {
    calls([&] {
      png = png_create_write_struct(PNG_LIBPNG_VER_STRING, &calls, on_png_error, on_png_warning);
      info = png != nullptr ? png_create_info_struct(png) : nullptr;
    });
    if (info == nullptr) throw std::bad_alloc();
  }
  ~PngWriter() { png_destroy_write_struct(&png, &info); }
  PngWriter(const PngWriter&) = delete;
  PngWriter& operator=(const PngWriter&) = delete;
};

// Signature, header, profile and record.
void write_head(PngWriter& w, const Encoding& e) {
  constexpr int types[] = {PNG_COLOR_TYPE_GRAY, PNG_COLOR_TYPE_GRAY_ALPHA, PNG_COLOR_TYPE_RGB,
                           PNG_COLOR_TYPE_RGB_ALPHA};
  w.calls([&] {
    png_set_IHDR(w.png, w.info, static_cast<png_uint_32>(e.image.width()), static_cast<png_uint_32>(e.image.height()),
                 e.bits, types[e.image.channels() - 1], PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT,
                 PNG_FILTER_TYPE_DEFAULT);
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
}

std::size_t stored_row_bytes(const Encoding& e) {
  return (static_cast<std::size_t>(e.image.width()) * static_cast<std::size_t>(e.image.channels()) *
              static_cast<std::size_t>(e.bits) +
          7) /
         8;
}

// Rows of samples as the file has them, with zeros before and behind each.
class StoredRows {
 public:
  StoredRows(const Encoding& e, int first, int last)
      : bytes_(stored_row_bytes(e)),
        apart_((bytes_ + 2 * lanes::kAround + 1) / 2 * 2),
        data_(apart_ * static_cast<std::size_t>(last - first)) {
    if (first == last) return;
    const ConstView part = e.image.part({0, first, e.image.width(), last - first});
    std::uint8_t* to = data_.data() + lanes::kAround;
    if (e.bits == 8) {
      lost_ = to_interleaved(part, to, static_cast<std::ptrdiff_t>(apart_), e.white_level);
    } else if (e.bits == 16) {
      lost_ = to_interleaved(part, reinterpret_cast<std::uint16_t*>(to), static_cast<std::ptrdiff_t>(apart_ / 2));
      for (int y = first; y < last; ++y) {
        auto* words = reinterpret_cast<std::uint16_t*>(to + apart_ * static_cast<std::size_t>(y - first));
        for (std::size_t i = 0; i < bytes_ / 2; ++i) words[i] = __builtin_bswap16(words[i]);
      }
    } else {
      const auto width = static_cast<std::size_t>(e.image.width()), bits = static_cast<std::size_t>(e.bits);
      std::vector<std::uint8_t> levels(width * static_cast<std::size_t>(last - first));
      lost_ = to_interleaved(part, levels.data(), 0, e.white_level);
      for (std::size_t i = 0; i < levels.size(); ++i) {
        const std::size_t x = i % width;
        std::uint8_t& byte = to[apart_ * (i / width) + x * bits / 8];
        byte = static_cast<std::uint8_t>(byte | levels[i] << (8 - bits - x * bits % 8));
      }
    }
  }
  std::size_t bytes() const { return bytes_; }
  const std::uint8_t* row(int i) const { return data_.data() + apart_ * static_cast<std::size_t>(i) + lanes::kAround; }
  const Saturation& lost() const { return lost_; }

 private:
  std::size_t bytes_, apart_;
  std::vector<std::uint8_t> data_;
  Saturation lost_;
};

// Rows first..last-1, each behind the number of its filter.
std::vector<std::uint8_t> predicted(const Encoding& e, int first, int last, Saturation& lost) {
  const StoredRows rows(e, first, last);
  lost = rows.lost();
  const std::size_t n = rows.bytes();
  // The row above is made once more where it belongs to the part before.
  const StoredRows before(e, std::max(first - 1, 0), first);
  const std::vector<std::uint8_t> nothing(n + 2 * lanes::kAround);
  const auto step = static_cast<std::size_t>(std::max(1, e.image.channels() * e.bits / 8));
  std::vector<std::uint8_t> out((n + 1) * static_cast<std::size_t>(last - first) + lanes::kAround);
  for (int y = first; y < last; ++y) {
    const std::uint8_t* row = rows.row(y - first);
    const std::uint8_t* above = y > first ? rows.row(y - first - 1)
                                : y > 0   ? before.row(0)
                                          : nothing.data() + lanes::kAround;
    std::uint8_t* to = out.data() + (n + 1) * static_cast<std::size_t>(y - first);
    // Levels of less than a byte are no numbers that differ little from their neighbors.
    const int filter = e.bits < 8 ? 0 : lanes::cheapest_filter(row, above, n, step);
    to[0] = static_cast<std::uint8_t>(filter);
    lanes::remainder(filter, row, above, n, step, to + 1);
  }
  out.resize((n + 1) * static_cast<std::size_t>(last - first));
  return out;
}

}  // namespace

std::vector<std::uint8_t> encode_png(const Encoding& e) {
  std::vector<std::uint8_t> out;
  PngWriter w(e.name);
  w.calls([&] { png_set_write_fn(w.png, &out, put, flush); });
  write_head(w, e);

  const RowParts parts(e.image.height(), stored_row_bytes(e) + 1);
  std::vector<DeflatePiece> pieces(static_cast<std::size_t>(parts.count()));
  e.written.saturation = parts.each([&](int i) {
    Saturation lost;
    const auto raw = predicted(e, parts.first(i), parts.last(i), lost);
    pieces[static_cast<std::size_t>(i)] =
        deflate_piece(raw.data(), raw.size(), e.options.compression, i == 0, i + 1 == parts.count());
    return lost;
  });
  const std::vector<std::uint8_t> checksum = checksum_of(pieces);
  pieces.back().bytes.insert(pieces.back().bytes.end(), checksum.begin(), checksum.end());
  std::size_t total = out.size() + 64;
  for (const DeflatePiece& p : pieces) total += p.bytes.size() + 12;
  out.reserve(total);
  for (const DeflatePiece& p : pieces) append_chunk(out, "IDAT", p.bytes);
  w.calls([&] { png_write_chunk(w.png, reinterpret_cast<png_const_bytep>("IEND"), nullptr, 0); });
  return out;
}

}  // namespace sieve::io
