// PNM (PBM, PGM, PPM; ASCII and binary) and PFM: formats of one page each.

#include <fmt/format.h>

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstring>

#include "io/codec.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::io {

namespace {

class Scanner {
 public:
  Scanner(const Bytes& file, std::string name, const char* format)
      : file_(file), name_(std::move(name)), format_(format) {}

  [[noreturn]] void damaged(const std::string& what) const {
    fail(name_, fmt::format("is a damaged or truncated {} ({})", format_, what));
  }

  std::size_t left() const { return file_.size - at_; }
  const std::uint8_t* here() const { return file_.data + at_; }
  void skip(std::size_t n) { at_ += n; }

  // The next word of a header: blanks and comments before it are passed over.
  std::string word() {
    blanks();
    std::string w;
    while (at_ < file_.size && !blank(file_.data[at_]) && w.size() < 32) w += static_cast<char>(file_.data[at_++]);
    return w;
  }
  std::uint32_t whole(const char* what) {
    blanks();
    std::uint64_t v = 0;
    std::size_t digits = 0;
    while (at_ < file_.size && file_.data[at_] >= '0' && file_.data[at_] <= '9') {
      v = v * 10 + (file_.data[at_++] - '0');
      if (++digits > 10 || v > 0xffffffffU) damaged(std::string(what) + " is no sensible number");
    }
    if (digits == 0) damaged(std::string(what) + (at_ >= file_.size ? " is missing: it ends early" : " is no number"));
    return static_cast<std::uint32_t>(v);
  }
  // One digit 0 or 1 of an ASCII bitmap, which need no blank between them.
  int bit() {
    blanks();
    if (at_ >= file_.size) damaged("it ends early");
    const char c = static_cast<char>(file_.data[at_++]);
    if (c != '0' && c != '1') damaged("a sample of a bitmap is neither 0 nor 1");
    return c - '0';
  }
  void one_blank() {
    if (at_ >= file_.size || !blank(file_.data[at_])) damaged("no blank behind its header");
    ++at_;
  }

 private:
  static bool blank(std::uint8_t c) { return c == ' ' || (c >= 9 && c <= 13); }
  void blanks() {
    while (at_ < file_.size && (blank(file_.data[at_]) || file_.data[at_] == '#')) {
      if (file_.data[at_] == '#') {
        while (at_ < file_.size && file_.data[at_] != '\n') ++at_;
      } else {
        ++at_;
      }
    }
  }
  Bytes file_;
  std::size_t at_ = 0;
  std::string name_;
  const char* format_;
};

void swap_bytes(std::vector<float>& samples) {
  for (float& v : samples) v = std::bit_cast<float>(__builtin_bswap32(std::bit_cast<std::uint32_t>(v)));
}

void append(std::vector<std::uint8_t>& out, const std::string& s) { out.insert(out.end(), s.begin(), s.end()); }

}  // namespace

Loaded decode_pnm(const Bytes& file, const std::string& name, const Limits& limits) {
  Scanner s(file, name, "PNM");
  const int kind = file.data[1] - '0';
  s.skip(2);
  const bool ascii = kind <= 3, bitmap = kind == 1 || kind == 4;
  const int channels = kind == 3 || kind == 6 ? 3 : 1;
  const std::uint32_t width = s.whole("its width"), height = s.whole("its height");
  check_size(width, height, name, limits);
  const std::uint32_t maximum = bitmap ? 1 : s.whole("its maximum value");
  if (maximum < 1 || maximum > 65535)
    fail(name, fmt::format("says a maximum value of {}; PNM allows 1 to 65535", maximum));
  if (!ascii) s.one_blank();
  const std::uint64_t samples = std::uint64_t{width} * height * static_cast<std::uint64_t>(channels);
  const std::uint64_t needed = kind == 4 ? (std::uint64_t{width} + 7) / 8 * height
                               : ascii   ? (bitmap ? samples : 2 * samples - 1)
                                         : samples * (maximum > 255 ? 2 : 1);
  check_memory(width, height, channels, 0, name, limits);
  if (s.left() < needed) s.damaged(fmt::format("{} bytes of samples, {} are needed", s.left(), needed));
  Loaded loaded;
  loaded.format = Format::pnm;
  loaded.bits = bits_of(maximum);
  loaded.image = Image(Shape{static_cast<int>(width), static_cast<int>(height), channels}, maximum);
  const std::size_t per_row = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels);
  const std::size_t row_bytes = kind == 4 ? (per_row + 7) / 8 : per_row * (maximum > 255 ? 2 : 1);
  const View out = loaded.image.view();
  const auto rows = [&](int first, int last) { return out.part({0, first, out.width(), last - first}); };
  const auto check = [&](std::uint32_t v) {
    if (v > maximum) s.damaged(fmt::format("a sample of {} where {} is the maximum", v, maximum));
  };
  if (ascii) {
    std::vector<std::uint16_t> row(per_row);
    for (int y = 0; y < out.height(); ++y) {
      checkpoint();
      for (std::uint16_t& sample : row) {
        const std::uint32_t v = bitmap ? static_cast<std::uint32_t>(1 - s.bit()) : s.whole("a sample");
        check(v);
        sample = static_cast<std::uint16_t>(v);
      }
      from_interleaved(row.data(), rows(y, y + 1), 0, maximum);
    }
    return loaded;
  }
  parallel_rows(out.height(), per_row, [&](int first, int last) {
    const std::uint8_t* from = s.here() + row_bytes * static_cast<std::size_t>(first);
    const std::size_t count = per_row * static_cast<std::size_t>(last - first);
    if (kind != 4 && maximum <= 255) {
      if (maximum < 255) check(*std::max_element(from, from + count));
      from_interleaved(from, rows(first, last), 0, maximum);
      return;
    }
    std::vector<std::uint16_t> words(count);
    for (std::size_t i = 0; i < count; ++i) {
      const std::size_t x = i % per_row;
      words[i] = static_cast<std::uint16_t>(kind == 4 ? 1 - (from[row_bytes * (i / per_row) + x / 8] >> (7 - x % 8) & 1)
                                                      : from[2 * i] << 8 | from[2 * i + 1]);
    }
    check(*std::max_element(words.begin(), words.end()));
    from_interleaved(words.data(), rows(first, last), 0, maximum);
  });
  return loaded;
}

Loaded decode_pfm(const Bytes& file, const std::string& name, const Limits& limits) {
  Scanner s(file, name, "PFM");
  const int channels = file.data[1] == 'F' ? 3 : 1;
  s.skip(2);
  const std::uint32_t width = s.whole("its width"), height = s.whole("its height");
  check_size(width, height, name, limits);
  const std::string scale = s.word();
  char* end = nullptr;
  const double factor = std::strtod(scale.c_str(), &end);
  if (scale.empty() || *end != 0 || !std::isfinite(factor) || factor == 0)
    s.damaged("its scale is no number other than 0");
  s.one_blank();
  check_memory(width, height, channels, 0, name, limits);
  const std::size_t row = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels) * 4;
  if (s.left() / row < height)
    s.damaged(fmt::format("{} bytes of samples, {} are needed", s.left(), static_cast<std::uint64_t>(row) * height));
  Loaded loaded;
  loaded.format = Format::pfm;
  loaded.bits = 32;
  loaded.image = Image(static_cast<int>(width), static_cast<int>(height), channels);
  const bool little = factor < 0;
  const std::size_t n = static_cast<std::size_t>(width) * static_cast<std::size_t>(channels);
  parallel_rows(static_cast<int>(height), n, [&](int first, int last) {
    std::vector<float> samples(n);
    for (int y = first; y < last; ++y) {
      // The lowest row comes first.
      const std::uint8_t* from = s.here() + row * (height - 1 - static_cast<std::size_t>(y));
      std::memcpy(samples.data(), from, row);
      if (little != (std::endian::native == std::endian::little)) swap_bytes(samples);
      from_interleaved(samples.data(), loaded.image.view().part({0, y, loaded.image.width(), 1}));
    }
  });
  return loaded;
}

std::vector<std::uint8_t> encode_pnm(const Encoding& e) {
  std::string ending = e.name.substr(e.name.rfind('.') + 1);
  for (char& c : ending) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  if (e.image.shape.has_alpha()) e.written.note = "PNM has no alpha: it was left out";
  const int channels = e.image.shape.color_channels();
  if (ending == "pbm" && (channels != 1 || e.white_level != 1)) {
    throw InvalidArgument(
        e.name + ": PBM holds gray pictures of 1 bit; ask for --depth 1 and make it gray, or take .pgm or .ppm");
  }
  if (ending == "pgm" && channels != 1)
    throw InvalidArgument(e.name + ": PGM holds gray pictures; put `gray` before it, or take .ppm");
  ConstView color = e.image;
  color.shape.channels = channels;
  const auto n = static_cast<std::size_t>(color.width()) * static_cast<std::size_t>(channels);
  std::vector<std::uint8_t> out;
  if (ending == "pbm") {
    append(out, fmt::format("P4\n{} {}\n", color.width(), color.height()));
  } else {
    append(out, fmt::format("P{}\n{} {}\n{}\n", channels == 3 || ending == "ppm" ? 6 : 5, color.width(), color.height(),
                            e.white_level));
  }
  const auto height = static_cast<std::size_t>(color.height());
  const int copies = ending == "ppm" && channels == 1 ? 3 : 1;
  if (ending != "pbm" && copies == 1 && e.white_level <= 255) {
    const std::size_t header = out.size();
    out.resize(header + n * height);
    e.written.saturation = to_interleaved(color, out.data() + header, 0, e.white_level);
    return out;
  }
  std::vector<std::uint16_t> samples(n * height);
  e.written.saturation = to_interleaved(color, samples.data(), 0, e.white_level);
  if (ending == "pbm") {
    for (std::size_t y = 0; y < height; ++y) {
      std::vector<std::uint8_t> line((n + 7) / 8);
      for (std::size_t x = 0; x < n; ++x) {
        if (samples[y * n + x] == 0) line[x / 8] = static_cast<std::uint8_t>(line[x / 8] | 0x80U >> x % 8);
      }
      out.insert(out.end(), line.begin(), line.end());
    }
    return out;
  }
  const std::size_t bytes = e.white_level > 255 ? 2 : 1;
  const std::size_t header = out.size();
  out.resize(header + samples.size() * bytes * static_cast<std::size_t>(copies));
  std::uint8_t* to = out.data() + header;
  for (const std::uint16_t v : samples) {
    for (int k = 0; k < copies; ++k) {
      if (bytes == 2) *to++ = static_cast<std::uint8_t>(v >> 8);
      *to++ = static_cast<std::uint8_t>(v & 255);
    }
  }
  return out;
}

std::vector<std::uint8_t> encode_pfm(const Encoding& e) {
  if (e.image.shape.has_alpha()) e.written.note = "PFM has no alpha: it was left out";
  const int channels = e.image.shape.color_channels();
  std::vector<std::uint8_t> out;
  append(out, fmt::format("{}\n{} {}\n-1.0\n", channels == 3 ? "PF" : "Pf", e.image.width(), e.image.height()));
  ConstView color = e.image;
  color.shape.channels = channels;
  const std::size_t n = static_cast<std::size_t>(color.width()) * static_cast<std::size_t>(channels),
                    header = out.size();
  out.resize(header + 4 * n * static_cast<std::size_t>(color.height()));
  parallel_rows(color.height(), n, [&](int first, int last) {
    std::vector<float> samples(n);
    for (int y = first; y < last; ++y) {
      to_interleaved(color.part({0, y, color.width(), 1}), samples.data());
      if (std::endian::native != std::endian::little) swap_bytes(samples);
      std::memcpy(out.data() + header + 4 * n * static_cast<std::size_t>(color.height() - 1 - y), samples.data(),
                  4 * n);
    }
  });
  return out;
}

}  // namespace sieve::io
