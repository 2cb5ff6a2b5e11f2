#pragma once
// Files built out of bytes: lengths, checksums and compression are right, so that what is wrong with them lies behind
// what a decoder looks at first.

#include <zlib.h>

#include <cstring>
#include <string>

#include "random_steps.hpp"

namespace fuzz {

using File = std::vector<std::uint8_t>;

class Writer {
 public:
  explicit Writer(bool little = false) : little_(little) {}
  void byte(std::uint32_t v) { out.push_back(static_cast<std::uint8_t>(v)); }
  void two(std::uint32_t v) { little_ ? (byte(v), byte(v >> 8)) : (byte(v >> 8), byte(v)); }
  void four(std::uint32_t v) { little_ ? (two(v), two(v >> 16)) : (two(v >> 16), two(v)); }
  void text(const std::string& s) { out.insert(out.end(), s.begin(), s.end()); }
  void bytes(const File& f) { out.insert(out.end(), f.begin(), f.end()); }
  File out;

 private:
  bool little_;
};

// Most often one of those that make sense; now and then any.
template <std::size_t N>
std::uint32_t mostly(Bytes& b, const std::uint32_t (&all)[N], std::uint32_t any) {
  return b.below(64) == 0 ? b.below(any) : b.one_of(all);
}

inline File samples(Bytes& b, std::size_t wanted) {
  File f(b.below(8) == 0 ? b.below(2000) : std::min<std::size_t>(wanted, 1 << 16));
  // A few bytes in turns, which is what a fuzzer can change.
  std::uint8_t pattern[16];
  for (auto& p : pattern) p = static_cast<std::uint8_t>(b.below(256));
  for (std::size_t i = 0; i < f.size(); ++i)
    f[i] = static_cast<std::uint8_t>(pattern[i % 16] + i / 16 * pattern[i % 5]);
  return f;
}

inline File deflated(Bytes& b, const File& raw) {
  uLongf size = compressBound(static_cast<uLong>(raw.size()));
  File out(size);
  compress2(out.data(), &size, raw.data(), static_cast<uLong>(raw.size()), static_cast<int>(b.below(3)) * 4 + 1);
  out.resize(b.below(16) == 0 ? b.below(static_cast<std::uint32_t>(size) + 1) : size);
  return out;
}

inline void add_chunk(Writer& w, const char* type, const File& data) {
  w.four(static_cast<std::uint32_t>(data.size()));
  const std::size_t from = w.out.size();
  w.text(type);
  w.bytes(data);
  w.four(static_cast<std::uint32_t>(crc32(0, w.out.data() + from, static_cast<uInt>(w.out.size() - from))));
}

inline File built_png(Bytes& b) {
  Writer w;
  w.text("\x89PNG\r\n\x1a\n");
  const std::uint32_t width = mostly(b, {1, 2, 3, 7, 8, 9, 17, 33}, 1U << 31),
                      height = mostly(b, {1, 2, 3, 5, 8, 19}, 1U << 31);
  // Depth and kind as they go together, most often.
  constexpr std::uint32_t kKinds[][2] = {{1, 0}, {2, 0}, {4, 0}, {8, 0}, {16, 0}, {8, 2}, {16, 2}, {1, 3},
                                         {2, 3}, {4, 3}, {8, 3}, {8, 4}, {16, 4}, {8, 6}, {16, 6}, {7, 1}};
  const auto& kind = b.one_of(kKinds);
  const std::uint32_t depth = kind[0], type = kind[1], interlace = mostly(b, {0, 0, 1}, 256);
  Writer header;
  header.four(width);
  header.four(height);
  for (const std::uint32_t v : {depth, type, 0U, 0U, interlace}) header.byte(v);
  add_chunk(w, "IHDR", header.out);
  for (std::uint32_t i = 0, n = b.below(5); i < n; ++i) {
    constexpr const char* kTypes[] = {"PLTE", "tRNS", "gAMA", "iCCP", "tEXt", "zTXt", "iTXt", "eXIf",
                                      "sBIT", "bKGD", "sRGB", "cHRM", "pHYs", "zzZz", "acTL", "IHDR"};
    const std::string chunk = b.one_of(kTypes);
    File data = samples(b, chunk == "PLTE" ? 3 * (1 + b.below(256)) : b.below(64));
    if (chunk == "iCCP" || chunk == "zTXt") {
      File named = {'n', 0, 0};
      const File packed = deflated(b, data);
      named.insert(named.end(), packed.begin(), packed.end());
      data = named;
    }
    add_chunk(w, chunk.c_str(), data);
  }
  if (type == 3) add_chunk(w, "PLTE", samples(b, 3 * 256));
  const std::uint32_t per = type == 2 ? 3 : type == 4 ? 2 : type == 6 ? 4 : 1;
  const std::size_t row = 1 + (static_cast<std::size_t>(std::min(width, 64U)) * per * depth + 7) / 8;
  File raw = samples(b, row * std::min(height, 64U) + (interlace != 0 ? 64 : 0));
  // Rows begin with one of five filters; those of an interlaced picture lie elsewhere.
  if (b.below(8) != 0) {
    for (std::size_t i = 0; i < raw.size(); i += interlace != 0 ? 1 : row)
      raw[i] = static_cast<std::uint8_t>(raw[i] % 5);
  }
  const File packed = deflated(b, raw);
  const std::size_t cut = b.below(static_cast<std::uint32_t>(packed.size()) + 1);
  add_chunk(w, "IDAT", File(packed.begin(), packed.begin() + static_cast<std::ptrdiff_t>(cut)));
  add_chunk(w, "IDAT", File(packed.begin() + static_cast<std::ptrdiff_t>(cut), packed.end()));
  if (b.below(8) != 0) add_chunk(w, "IEND", {});
  return w.out;
}

inline File built_tiff(Bytes& b) {
  const bool little = b.below(2) == 0;
  Writer w(little);
  w.text(little ? "II" : "MM");
  w.two(42);
  const std::uint32_t width = mostly(b, {1, 3, 16, 17, 40}, 1U << 31), height = mostly(b, {1, 2, 16, 33}, 1U << 31),
                      bits = mostly(b, {1, 2, 4, 8, 16, 32, 64}, 80), channels = mostly(b, {1, 2, 3, 4}, 10),
                      packing = mostly(b, {1, 1, 5, 7, 8, 32773, 32946}, 65536), planar = mostly(b, {1, 2}, 5),
                      kind = mostly(b, {0, 1, 2, 3, 5, 6}, 10);
  const std::size_t row = (static_cast<std::size_t>(std::min(width, 64U)) * channels * bits + 7) / 8;
  File data = samples(b, row * std::min(height, 64U));
  if (packing == 8 || packing == 32946) data = deflated(b, data);
  const bool tiled = b.below(4) == 0;
  struct Entry {
    std::uint32_t tag, type, count, value;
  };
  const std::uint32_t at = 8, size = static_cast<std::uint32_t>(data.size());
  std::vector<Entry> all = {{256, 4, 1, width},
                            {257, 4, 1, height},
                            {258, 3, channels, bits},
                            {259, 3, 1, packing},
                            {262, 3, 1, kind},
                            {274, 3, 1, mostly(b, {1, 6, 8}, 12)},
                            {277, 3, 1, channels},
                            {278, 4, 1, mostly(b, {1, 3, 64, 0xffffffff}, 1U << 31)},
                            {284, 3, 1, planar},
                            {317, 3, 1, mostly(b, {1, 2, 3}, 6)},
                            {339, 3, channels,
                             b.below(8) == 0 ? b.below(7)
                             : bits >= 32    ? 3U
                                             : 1U}};
  if (kind == 3) all.push_back({320, 3, 3U << std::min(bits, 8U), b.below(65536)});
  // A color profile and a description; their bytes are those of the samples.
  if (b.below(4) == 0) all.push_back({34675, 7, std::min(size, 16 + b.below(64)), at});
  if (channels == 2 || channels == 4) all.push_back({338, 3, 1, b.below(3)});
  if (tiled) {
    all.push_back({322, 4, 1, mostly(b, {16, 32, 48}, 1000)});
    all.push_back({323, 4, 1, mostly(b, {16, 32}, 1000)});
    all.push_back({324, 4, 1, at});
    all.push_back({325, 4, 1, size});
  } else {
    all.push_back({273, 4, 1, at});
    all.push_back({279, 4, 1, size});
  }
  for (std::uint32_t i = 0, n = b.below(4) == 0 ? 1 + b.below(2) : 0; i < n; ++i) {
    Entry& e = all[b.below(static_cast<std::uint32_t>(all.size()))];
    b.below(2) == 0 ? e.count = b.below(70000) : e.type = b.below(20);
  }
  std::sort(all.begin(), all.end(), [](const Entry& x, const Entry& y) { return x.tag < y.tag; });
  // A value of each channel stands apart where more than two do not fit into an entry.
  std::uint32_t apart = at + size;
  Writer values(little);
  for (Entry& e : all) {
    if (e.type != 3 || e.count < 2 || e.count > 768) continue;
    if (e.count == 2) {
      e.value |= e.value << 16;  // both, in either order of bytes
      continue;
    }
    for (std::uint32_t i = 0; i < e.count; ++i) values.two(e.tag == 320 ? e.value * (i + 1) : e.value);
    e.value = apart;
    apart += 2 * e.count;
  }
  w.four(apart);
  w.bytes(data);
  w.bytes(values.out);
  w.two(static_cast<std::uint32_t>(all.size()));
  for (const Entry& e : all) {
    w.two(e.tag);
    w.two(e.type);
    w.four(e.count);
    e.type == 3 && e.count == 1 ? (w.two(e.value), w.two(0)) : w.four(e.value);
  }
  w.four(b.below(16) == 0 ? apart : 0);  // a directory that follows itself
  return w.out;
}

// With the tables of the standard's annex K for the luma.
inline File built_jpeg(Bytes& b) {
  constexpr std::uint8_t kDc[] = {0, 1, 5, 1, 1, 1, 1, 1, 1, 0, 0, 0, 0, 0, 0, 0, 0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11};
  Writer w;
  const auto segment = [&](std::uint32_t marker, const File& data) {
    w.byte(0xff);
    w.byte(marker);
    w.two(static_cast<std::uint32_t>(data.size()) + 2);
    w.bytes(data);
  };
  w.two(0xffd8);
  for (std::uint32_t i = 0, n = b.below(4); i < n; ++i) {
    // Most often the marker that the name belongs to, and what follows it there.
    struct Note {
      const char* name;
      std::uint32_t marker;
      File begin;
    };
    const Note kNotes[] = {{"JFIF", 0xe0, {0}},
                           {"Exif", 0xe1, {0, 0, 'M',  'M', 0, 42, 0, 0, 0, 8, 0,
                                           1, 1, 0x12, 0,   3, 0,  0, 0, 1, 0, static_cast<std::uint8_t>(b.below(10)),
                                           0, 0, 0,    0,   0, 0}},
                           {"ICC_PROFILE", 0xe2, {0, 1, 1}},
                           {"Adobe", 0xee, {0, 100}},
                           {"Lean Sieve: ", 0xfe, {}}};
    const Note& note = b.one_of(kNotes);
    File data = samples(b, b.below(60));
    if (b.below(4) != 0) data.insert(data.begin(), note.begin.begin(), note.begin.end());
    data.insert(data.begin(), note.name, note.name + std::strlen(note.name));
    segment(b.below(8) != 0 ? note.marker : b.below(256), data);
  }
  File table(65, 16);
  for (std::size_t i = 1; i < table.size(); ++i) table[i] = static_cast<std::uint8_t>(1 + b.below(255));
  table[0] = 0;
  segment(0xdb, table);
  const std::uint32_t channels = mostly(b, {1, 3, 4}, 8), height = mostly(b, {1, 8, 17, 40}, 65536),
                      width = mostly(b, {1, 8, 16, 33}, 65536), sampling = mostly(b, {0x11, 0x22, 0x21, 0x12}, 256),
                      coding = mostly(b, {0xc0, 0xc0, 0xc1, 0xc2}, 256);
  File frame = {static_cast<std::uint8_t>(mostly(b, {8}, 20)),
                static_cast<std::uint8_t>(height >> 8),
                static_cast<std::uint8_t>(height),
                static_cast<std::uint8_t>(width >> 8),
                static_cast<std::uint8_t>(width),
                static_cast<std::uint8_t>(channels)};
  File scan = {static_cast<std::uint8_t>(channels)};
  for (std::uint32_t c = 1; c <= channels; ++c) {
    for (const std::uint32_t v : {c, c == 1 && channels > 1 ? sampling : 0x11U, 0U})
      frame.push_back(static_cast<std::uint8_t>(v));
    scan.push_back(static_cast<std::uint8_t>(c));
    scan.push_back(0);
  }
  segment(coding, frame);
  File dc(kDc, kDc + sizeof kDc), ac(kDc, kDc + sizeof kDc);
  dc.insert(dc.begin(), 0);
  ac.insert(ac.begin(), 0x10);
  segment(0xc4, dc);
  segment(0xc4, ac);
  if (b.below(4) == 0) segment(0xdd, {0, static_cast<std::uint8_t>(b.below(5))});
  scan.insert(scan.end(), {0, static_cast<std::uint8_t>(coding == 0xc2 ? 0 : mostly(b, {63}, 80)), 0});
  segment(0xda, scan);
  // Bits of 0 are blocks without a coefficient, four each (two of a progressive scan); any bits end somewhere else.
  const std::uint32_t across = sampling >> 4 & 15, down = sampling & 15;
  const auto units = [](std::uint32_t n, std::uint32_t each) {
    return (std::min(n, 64U) + 8 * each - 1) / (8 * std::max(each, 1U));
  };
  const std::uint32_t blocks = channels == 1
                                   ? units(width, 1) * units(height, 1)
                                   : units(width, across) * units(height, down) * (across * down + channels - 1);
  w.bytes(b.below(2) == 0 ? samples(b, 400) : File((blocks * (coding == 0xc2 ? 2 : 4) + 7) / 8, 0));
  if (b.below(8) != 0) w.two(0xffd9);
  return w.out;
}

inline File built_pnm(Bytes& b) {
  Writer w;
  const std::uint32_t kind = mostly(b, {1, 2, 3, 4, 5, 6}, 10);
  const std::string width = std::to_string(mostly(b, {1, 2, 9, 33}, 1U << 31)),
                    height = std::to_string(mostly(b, {1, 3, 8}, 1U << 31));
  constexpr const char* kSpaces[] = {" ", "\n", "\t", " # note\n", ""};
  if (b.below(4) == 0) {  // floats
    w.text(b.below(2) == 0 ? "Pf\n" : "PF\n");
    w.text(width + " " + height + "\n");
    w.text(b.below(8) == 0 ? "0\n" : b.below(2) == 0 ? "-1.0\n" : "1.0\n");
    w.bytes(samples(b, 4 * 33 * 8 * 3));
    return w.out;
  }
  w.text("P" + std::to_string(kind) + b.one_of(kSpaces) + width + b.one_of(kSpaces) + height + b.one_of(kSpaces));
  if (kind != 1 && kind != 4) w.text(std::to_string(mostly(b, {1, 7, 255, 1023, 65535}, 1U << 31)) + "\n");
  if (kind <= 3) {
    for (std::uint32_t i = 0, n = b.below(300); i < n; ++i) w.text(std::to_string(b.below(70000)) + b.one_of(kSpaces));
  } else {
    w.bytes(samples(b, 33 * 8 * 6));
  }
  return w.out;
}

inline File built_npy(Bytes& b) {
  Writer w(true);
  constexpr const char* kTypes[] = {"<f4", ">f4", "<f8", ">f8", "|u1", "<u2", ">u2",
                                    "|b1", "<f2", "<i4", "|i1", "<c8", "O"};
  std::string shape;
  for (std::uint32_t i = 0, n = mostly(b, {2, 3}, 7); i < n; ++i)
    shape += std::to_string(mostly(b, {1, 3, 4, 16}, 1U << 31)) + ",";
  std::string header = std::string("{'descr': '") + b.one_of(kTypes) +
                       "', 'fortran_order': " + (b.below(2) == 0 ? "False" : "True") + ", 'shape': (" + shape + "), }";
  if (b.below(8) == 0) header.resize(b.below(static_cast<std::uint32_t>(header.size())));
  w.text("\x93NUMPY");
  const std::uint32_t version = mostly(b, {1, 2, 3}, 256);
  w.byte(version);
  w.byte(0);
  const auto size = static_cast<std::uint32_t>(header.size()) + (b.below(16) == 0 ? b.below(70000) : 0);
  version == 1 ? w.two(size) : w.four(size);
  w.text(header);
  w.bytes(samples(b, 16 * 16 * 4 * 8));
  return w.out;
}

}  // namespace fuzz
