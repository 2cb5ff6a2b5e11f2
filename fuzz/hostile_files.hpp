#pragma once
// Files made to take memory and time: the parts of their formats that promise much.

#include <zlib.h>

#include <algorithm>
#include <cstdint>
#include <new>
#include <string>
#include <vector>

namespace fuzz::hostile {

inline std::string big_endian(std::uint32_t v) {
  return {static_cast<char>(v >> 24), static_cast<char>(v >> 16), static_cast<char>(v >> 8), static_cast<char>(v)};
}
inline std::string little_endian(std::uint32_t v, int bytes) {
  std::string s;
  for (int i = 0; i < bytes; ++i) s += static_cast<char>(v >> (8 * i));
  return s;
}
inline std::string segment(char marker, const std::string& content) {
  const auto n = static_cast<std::uint32_t>(content.size() + 2);
  return std::string{'\xff', marker, static_cast<char>(n >> 8), static_cast<char>(n)} + content;
}

inline std::string compressed(const std::string& raw) {
  uLongf size = compressBound(static_cast<uLong>(raw.size()));
  std::string out(size, '\0');
  if (compress2(reinterpret_cast<Bytef*>(out.data()), &size, reinterpret_cast<const Bytef*>(raw.data()),
                static_cast<uLong>(raw.size()), 9) != Z_OK)
    throw std::bad_alloc();
  out.resize(size);
  return out;
}

// --- PNG ---

inline std::string chunk(const std::string& type, const std::string& data) {
  const std::string body = type + data;
  const auto crc =
      static_cast<std::uint32_t>(crc32(0, reinterpret_cast<const Bytef*>(body.data()), static_cast<uInt>(body.size())));
  return big_endian(static_cast<std::uint32_t>(data.size())) + body + big_endian(crc);
}
inline std::string png(std::uint32_t width, std::uint32_t height, char depth, char type, const std::string& rows,
                       const std::string& before = "", bool interlaced = false) {
  return "\x89PNG\r\n\x1a\n" +
         chunk("IHDR",
               big_endian(width) + big_endian(height) + std::string{depth, type, 0, 0, interlaced ? '\1' : '\0'}) +
         before + chunk("IDAT", compressed(rows)) + chunk("IEND", "");
}

// --- TIFF ---

struct Tag {
  std::uint32_t number, value;
};
// One image; the data lie behind the directory.
inline std::string tiff(std::vector<Tag> tags, const std::string& data, std::uint32_t offset_tag) {
  const auto end = static_cast<std::uint32_t>(8 + 2 + 12 * (tags.size() + 1) + 4);
  tags.push_back({offset_tag, end});
  std::sort(tags.begin(), tags.end(), [](const Tag& a, const Tag& b) { return a.number < b.number; });
  std::string s =
      std::string("II*\0", 4) + little_endian(8, 4) + little_endian(static_cast<std::uint32_t>(tags.size()), 2);
  for (const Tag& t : tags)
    s += little_endian(t.number, 2) + little_endian(4, 2) + little_endian(1, 4) + little_endian(t.value, 4);
  return s + little_endian(0, 4) + data;
}
inline std::string striped(std::uint32_t side, std::uint32_t bits, std::uint32_t compression, const std::string& data) {
  return tiff({{256, side},
               {257, side},
               {258, bits},
               {259, compression},
               {262, 1},
               {277, 1},
               {278, side},
               {279, static_cast<std::uint32_t>(data.size())}},
              data, 273);
}
inline std::string tiled(std::uint32_t samples) {
  const std::string data = compressed(std::string(1000, 'x'));
  return tiff({{256, 1},
               {257, 1},
               {258, 8},
               {259, 8},
               {262, 1},
               {277, samples},
               {284, 1},
               {322, 4096},
               {323, 4096},
               {325, static_cast<std::uint32_t>(data.size())}},
              data, 324);
}

// --- JPEG ---

// A progressive gray picture of black blocks with so many scans, each of a few bytes: runs of empty blocks.
inline std::string many_scans(std::uint32_t side, int scans) {
  const std::uint32_t blocks = (side / 8) * (side / 8);
  const auto bits_to_bytes = [](std::string bits) {
    bits.resize((bits.size() + 7) / 8 * 8, '1');
    std::string bytes;
    for (std::size_t i = 0; i < bits.size(); i += 8) {
      bytes += static_cast<char>(std::stoi(bits.substr(i, 8), nullptr, 2));
      if (bytes.back() == '\xff') bytes += '\0';
    }
    return bytes;
  };
  const std::string one(1, '\1'), zeros(15, '\0');
  const auto size = std::string{static_cast<char>(side >> 8), static_cast<char>(side), static_cast<char>(side >> 8),
                                static_cast<char>(side)};
  std::string s = "\xff\xd8" + segment('\xdb', '\0' + std::string(64, '\1')) +
                  segment('\xc2', '\x08' + size + std::string("\1\1\x11\0", 4)) +
                  segment('\xc4', '\0' + one + zeros + '\0') + segment('\xc4', '\x10' + one + zeros + '\xe0') +
                  segment('\xda', std::string("\1\1\0\0\0\0", 6)) + bits_to_bytes(std::string(blocks, '0'));
  // A code of one bit, then 14 bits: a run of 16384 and more.
  std::string runs;
  for (std::uint32_t left = blocks; left > 0; left -= std::min(left, 32767U)) {
    runs += '0';
    for (int bit = 13; bit >= 0; --bit) runs += ((std::min(left, 32767U) - 16384) >> bit & 1) != 0 ? '1' : '0';
  }
  const std::string coded = bits_to_bytes(runs);
  int n = 1;
  for (int low = 13; low >= 0 && n < scans; --low) {
    for (int place = 1; place < 64 && n < scans; ++place, ++n) {
      const auto at = static_cast<char>(place);
      s +=
          segment('\xda', std::string("\1\1\0", 3) + at + at + static_cast<char>((low < 13 ? low + 1 : 0) << 4 | low)) +
          coded;
    }
  }
  return s + "\xff\xd9";
}

// A compressed text chunk of a PNG.
inline std::string text(const std::string& what, const std::string& raw) {
  return chunk("zTXt", what + std::string(2, '\0') + compressed(raw));
}

}  // namespace fuzz::hostile
