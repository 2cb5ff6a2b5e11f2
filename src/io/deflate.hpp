#pragma once
// Deflate (RFC 1951) and the zlib format around it (RFC 1950), whole buffers at a time.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "sieve/io.hpp"

namespace sieve::io {

// A part of a zlib stream that is compressed by itself, on any thread.
struct DeflatePiece {
  std::vector<std::uint8_t> bytes;  // of the first one with the stream's header
  std::uint32_t adler = 1;          // checksum of what went in
  std::size_t raw = 0;              // bytes that went in
};

// Parts are so large that starting anew costs less than 0.1 % of the bytes, and that compressing one takes less than
// the tenth of a second in which a stop is to be heard.
inline constexpr std::size_t kPieceBytes = std::size_t{1} << 18;

// Compresses a part of a stream; all parts behind each other, and the checksum, are the stream.
DeflatePiece deflate_piece(const std::uint8_t* data, std::size_t size, Compression compression, bool first, bool last);

// The four bytes at the stream's end.
std::vector<std::uint8_t> checksum_of(const std::vector<DeflatePiece>& pieces);

// A whole zlib stream.
std::vector<std::uint8_t> zlib_stream(const std::uint8_t* data, std::size_t size, Compression compression);

// A whole zlib stream back, which holds `size` bytes. False where it does not, or is not valid.
bool inflate_whole(const std::uint8_t* stream, std::size_t stream_size, std::uint8_t* out, std::size_t size);

// The checksum of a chunk of PNG.
std::uint32_t crc_of(const std::uint8_t* data, std::size_t size);

}  // namespace sieve::io
