#pragma once
// What the codecs share.

#include <cstdint>
#include <string>
#include <vector>

#include "sieve/core/error.hpp"
#include "sieve/io.hpp"

namespace sieve::io {

struct Bytes {
  const std::uint8_t* data;
  std::size_t size;
};

Loaded decode_png(const Bytes& file, const std::string& name, const Limits& limits);
Loaded decode_jpeg(const Bytes& file, const std::string& name, const Limits& limits);
Loaded decode_tiff(const Bytes& file, const std::string& name, const Limits& limits);
Loaded decode_pnm(const Bytes& file, const std::string& name, const Limits& limits);
Loaded decode_pfm(const Bytes& file, const std::string& name, const Limits& limits);
Loaded decode_npy(const Bytes& file, const std::string& name, const Limits& limits);
Loaded decode_packed(const Bytes& file, const std::string& name, const Limits& limits);

// Encoders append to `out`. `bits` is one that the format has (see stored_bits); `white_level` is the level of white.
struct Encoding {
  ConstView image;
  int bits;
  std::uint32_t white_level;
  const WriteOptions& options;
  std::string name;
  Written& written;
};
std::vector<std::uint8_t> encode_png(const Encoding& e);
std::vector<std::uint8_t> encode_jpeg(const Encoding& e);
std::vector<std::uint8_t> encode_tiff(const Encoding& e);
std::vector<std::uint8_t> encode_pnm(const Encoding& e);
std::vector<std::uint8_t> encode_pfm(const Encoding& e);
std::vector<std::uint8_t> encode_npy(const Encoding& e);
std::vector<std::uint8_t> encode_packed(const Encoding& e);

// Throws Error with the name and what is wrong. Control characters, as from a header, become spaces.
[[noreturn]] void fail(const std::string& name, std::string what);

// Before the record in text fields that have no key of their own.
inline constexpr const char* kRecordMark = "Lean Sieve: ";

// Refuses a size that is empty or has too many pixels, before anything is allocated.
void check_size(std::uint64_t width, std::uint64_t height, const std::string& name, const Limits& limits);

// The memory limit in bytes.
std::uint64_t memory_limit(const Limits& limits);

// Refuses an image of this shape whose samples, with `working` bytes for the decoder itself, exceed the memory limit.
void check_memory(std::uint64_t width, std::uint64_t height, int channels, double working, const std::string& name,
                  const Limits& limits);

// Turns and mirrors a picture as an orientation tag 1..8 (EXIF, TIFF) says; true where something was done.
bool orient(Image& image, int orientation);

// The orientation in an EXIF block, 1 where there is none.
int exif_orientation(const std::uint8_t* data, std::size_t size);

}  // namespace sieve::io
