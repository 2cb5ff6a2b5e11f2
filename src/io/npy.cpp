// Arrays of NumPy, by the published description of its format (versions 1.0 to 3.0): a line of text in Python's
// notation, then the samples.

#include <fmt/format.h>

#include <array>
#include <bit>
#include <cmath>
#include <cstring>
#include <mutex>
#include <string_view>

#include "io/codec.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::io {

namespace {

// What stands in the header.
struct Header {
  std::string descr;  // byte order, kind and bytes of a sample: "<f4"
  bool by_columns = false;
  std::vector<std::uint64_t> shape;
  std::size_t end = 0;  // where the samples begin
};

class HeaderText {
 public:
  HeaderText(std::string_view text, const std::string& name) : text_(text), name_(name) {}

  void read(Header& h) {
    int seen = 0;
    expect('{');
    while (!next_is('}')) {
      const std::string key = quoted();
      expect(':');
      if (key == "descr") {
        if (next_is('[')) fail(name_, "is an array of records, not of samples; save one field of it");
        h.descr = quoted();
      } else if (key == "fortran_order") {
        h.by_columns = truth();
      } else if (key == "shape") {
        h.shape = numbers();
      } else {
        damaged("its header has a field \"" + key + "\"");
      }
      ++seen;
      if (!next_is('}')) expect(',');
    }
    if (seen != 3 || h.descr.empty()) damaged("its header has not the three fields descr, fortran_order and shape");
  }

 private:
  [[noreturn]] void damaged(const std::string& what) const {
    fail(name_, "is a damaged or truncated NPY (" + what + ")");
  }
  void blanks() {
    while (!text_.empty() && (text_[0] == ' ' || text_[0] == '\n')) text_.remove_prefix(1);
  }
  bool next_is(char c) {
    blanks();
    return !text_.empty() && text_[0] == c;
  }
  void expect(char c) {
    if (!next_is(c)) damaged(fmt::format("no '{}' where its header needs one", c));
    text_.remove_prefix(1);
  }
  std::string quoted() {
    const char quote = next_is('"') ? '"' : '\'';
    expect(quote);
    const std::size_t n = text_.find(quote);
    if (n > 64) damaged("a name in its header does not end");  // nowhere is the largest of all
    std::string s(text_.substr(0, n));
    text_.remove_prefix(n + 1);
    return s;
  }
  bool truth() {
    blanks();
    for (const auto& [word, value] : {std::pair{std::string_view("True"), true}, {std::string_view("False"), false}}) {
      if (!text_.starts_with(word)) continue;
      text_.remove_prefix(word.size());
      return value;
    }
    damaged("its order is neither True nor False");
  }
  std::vector<std::uint64_t> numbers() {
    std::vector<std::uint64_t> all;
    expect('(');
    while (!next_is(')')) {
      std::uint64_t v = 0;
      std::size_t digits = 0;
      for (; !text_.empty() && text_[0] >= '0' && text_[0] <= '9'; text_.remove_prefix(1), ++digits)
        v = v * 10 + static_cast<std::uint64_t>(text_[0] - '0');
      if (digits == 0 || digits > 18 || all.size() == 32) damaged("its shape is no list of numbers");
      all.push_back(v);
      if (!next_is(')')) expect(',');
    }
    expect(')');
    return all;
  }

  std::string_view text_;
  const std::string& name_;
};

Header header_of(const Bytes& file, const std::string& name) {
  const auto short_of = [&] { fail(name, "is a damaged or truncated NPY (it ends early)"); };
  if (file.size < 12) short_of();
  const int version = file.data[6];
  if (version < 1 || version > 3)
    fail(name, fmt::format("is an NPY of version {}; versions 1 to 3 are read here", version));
  const std::size_t before = version == 1 ? 10 : 12;
  std::uint64_t length = 0;
  for (std::size_t i = before; i > 8; --i) length = length << 8 | file.data[i - 1];
  if (length > file.size - before) short_of();
  Header h;
  h.end = before + static_cast<std::size_t>(length);
  HeaderText({reinterpret_cast<const char*>(file.data) + before, static_cast<std::size_t>(length)}, name).read(h);
  return h;
}

template <class T>
T sample_from(const std::uint8_t* at, bool swapped) {
  std::array<std::uint8_t, sizeof(T)> b;
  std::memcpy(b.data(), at, sizeof(T));
  if (swapped) std::reverse(b.begin(), b.end());
  return std::bit_cast<T>(b);
}

// Samples of type Stored, in any order, to the planes of `out`; those that are read as Read.
template <class Stored, class Read = Stored>
void take(const std::uint8_t* from, bool swapped, bool by_columns, const View& out) {
  const auto width = static_cast<std::size_t>(out.width()), height = static_cast<std::size_t>(out.height()),
             channels = static_cast<std::size_t>(out.channels());
  parallel_rows(out.height(), RowCost(width * channels, 4), [&](int first, int last) {
    std::vector<Read> row(width * channels);
    for (int y = first; y < last; ++y) {
      const auto j = static_cast<std::size_t>(y);
      for (std::size_t i = 0; i < row.size(); ++i) {
        const std::size_t at = by_columns ? j + height * (i / channels + width * (i % channels)) : j * row.size() + i;
        row[i] = static_cast<Read>(sample_from<Stored>(from + sizeof(Stored) * at, swapped));
      }
      from_interleaved(row.data(), out.part({0, y, out.width(), 1}));
    }
  });
}

float largest_of(const ConstView& image) {
  std::mutex mutex;
  float largest = 0;
  parallel_rows(image.height(), RowCost(image.width(), image.channels()), [&](int first, int last) {
    float most = 0;
    for (int c = 0; c < image.channels(); ++c) {
      for (int y = first; y < last; ++y) {
        const float* row = image.row(y, c);
        for (int x = 0; x < image.width(); ++x) most = row[x] > most && std::isfinite(row[x]) ? row[x] : most;
      }
    }
    const std::lock_guard lock(mutex);
    largest = std::max(largest, most);
  });
  return largest;
}

std::string joined(const std::vector<std::uint64_t>& shape) { return fmt::format("({})", fmt::join(shape, ", ")); }

}  // namespace

Loaded decode_npy(const Bytes& file, const std::string& name, const Limits& limits) {
  const Header h = header_of(file, name);
  const std::vector<std::uint64_t>& s = h.shape;
  if (s.size() == 3 && s[0] <= 4 && s[2] > 4)
    fail(name,
         fmt::format("is an array of shape {}: the channels come last here; save numpy.moveaxis(a, 0, -1)", joined(s)));
  if (s.size() < 2 || s.size() > 3 || (s.size() == 3 && (s[2] < 1 || s[2] > 4)))
    fail(name,
         fmt::format("is an array of shape {}; a picture is height x width, or height x width x 1 to 4", joined(s)));
  check_size(s[1], s[0], name, limits);
  const std::uint64_t channels = s.size() == 3 ? s[2] : 1, samples = s[0] * s[1] * channels;
  const std::string kind = h.descr.substr(1);
  const bool ordered = h.descr[0] == '<' || h.descr[0] == '>' || h.descr[0] == '=' || h.descr[0] == '|';
  const std::size_t each = kind == "u1" ? 1 : kind == "u2" ? 2 : kind == "f4" ? 4 : kind == "f8" ? 8 : 0;
  if (!ordered || each == 0)
    fail(name, fmt::format("holds samples of kind {}; read are uint8, uint16, float32 and float64: save "
                           "a.astype(numpy.float32)",
                           h.descr));
  const std::uint64_t there = file.size - h.end, needed = samples * each;
  if (there < needed)
    fail(name, fmt::format("is a damaged or truncated NPY ({} bytes of samples, {} are needed)", there, needed));
  check_memory(s[1], s[0], static_cast<int>(channels), 0, name, limits);
  Loaded loaded;
  loaded.format = Format::npy;
  loaded.bits = each == 1 ? 8 : each == 2 ? 16 : 32;
  loaded.image = Image(Shape{static_cast<int>(s[1]), static_cast<int>(s[0]), static_cast<int>(channels)},
                       loaded.bits == 32 ? 0 : (1U << loaded.bits) - 1);
  const bool swapped = h.descr[0] == (std::endian::native == std::endian::little ? '>' : '<');
  const std::uint8_t* from = file.data + h.end;
  const View out = loaded.image.view();
  if (each == 1) {
    take<std::uint8_t>(from, swapped, h.by_columns, out);
  } else if (each == 2) {
    take<std::uint16_t>(from, swapped, h.by_columns, out);
  } else if (each == 4) {
    take<float>(from, swapped, h.by_columns, out);
  } else {
    take<double, float>(from, swapped, h.by_columns, out);
    loaded.note = "64-bit floats rounded to 32 bits";
  }
  const auto tell = [&](const std::string& what) { loaded.note += (loaded.note.empty() ? "" : "; ") + what; };
  if (const float largest = loaded.bits == 32 ? largest_of(out) : 0; largest > 2) {
    const char* const white = largest <= 255 ? "255" : largest <= 65535 ? "65535" : "the level of white";
    tell(fmt::format("its floats reach {:.6g}, but 1 is white here: if they are levels, save a / {}", largest, white));
  }
  if (there > needed) tell(fmt::format("{} bytes behind the array were left alone", there - needed));
  return loaded;
}

std::vector<std::uint8_t> encode_npy(const Encoding& e) {
  const ConstView& image = e.image;
  const char order = std::endian::native == std::endian::little ? '<' : '>';
  const std::string descr = e.bits == 8    ? "|u1"
                            : e.bits == 16 ? fmt::format("{}u2", order)
                                           : fmt::format("{}f4", order);
  std::string text =
      fmt::format("{{'descr': '{}', 'fortran_order': False, 'shape': ({}, {}{}), }}", descr, image.height(),
                  image.width(), image.channels() == 1 ? "" : fmt::format(", {}", image.channels()));
  // The samples begin at a multiple of 64 bytes.
  constexpr std::size_t kBefore = 10, kAligned = 64;
  const std::size_t end = (kBefore + text.size() + 1 + kAligned - 1) / kAligned * kAligned;
  text.resize(end - kBefore - 1, ' ');
  text += '\n';
  std::vector<std::uint8_t> out(end + image.shape.samples() * static_cast<std::size_t>(e.bits / 8));
  constexpr std::uint8_t begin[] = {0x93, 'N', 'U', 'M', 'P', 'Y', 1, 0};
  std::copy(std::begin(begin), std::end(begin), out.begin());
  out[8] = static_cast<std::uint8_t>(text.size() & 255);
  out[9] = static_cast<std::uint8_t>(text.size() >> 8);
  std::copy(text.begin(), text.end(), out.begin() + kBefore);
  std::uint8_t* to = out.data() + end;
  if (e.bits == 8) {
    e.written.saturation = to_interleaved(image, to, 0, e.white_level);
  } else if (e.bits == 16) {
    e.written.saturation = to_interleaved(image, reinterpret_cast<std::uint16_t*>(to), 0, e.white_level);
  } else {
    to_interleaved(image, reinterpret_cast<float*>(to));
  }
  return out;
}

}  // namespace sieve::io
