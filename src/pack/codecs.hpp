#pragma once
// The coders behind the container: each turns planes of coefficients into sections of bytes and back.

#include <cstdint>
#include <functional>
#include <span>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::internal::packing {

using Bytes = std::vector<std::uint8_t>;

// Sections of a packed picture, as far as they are there: the last one may be cut off.
using Sections = std::vector<std::span<const std::uint8_t>>;

// --- cosine: blocks of 8x8 coefficients on planes whose sides are multiples of 8, one section for each stripe of block
// rows ---

struct CosineCoding {
  int across = 0, down = 0;  // blocks
  std::size_t planes = 0;
  float step = 0;           // of the quantizer
  bool perceptual = false;  // coarser for what is less seen
};
struct CosinePacked {
  std::vector<Bytes> sections;
  std::uint64_t nonzero = 0;
};
// A row of blocks: eight rows of coefficients of every plane. Filled by the caller in any order and from any thread, or
// taken.
using BlockRow = std::vector<Image>;
CosinePacked encode_cosine(const CosineCoding& coding, const std::function<void(int block_row, BlockRow& row)>& fill);
// False where a section ends before its blocks do.
bool decode_cosine(const Sections& sections, const CosineCoding& coding,
                   const std::function<void(int block_row, const BlockRow& row)>& take);

// --- bit planes of wavelet bands, one section for each bit plane, the highest first ---

// Bands of planes of width x height after some levels.
struct BandShape {
  int width = 0, height = 0, levels = 0;
  std::size_t planes = 0;
};
enum class BandKind { low, across, down, diagonal };  // what a band is high along
// Where a part of a row of a band begins: in the band, and in a plane that has all bands in nested places.
struct BandPart {
  std::size_t plane;
  BandKind kind;
  int level;  // 0 the finest
  int x, y;
  int nested_x, nested_y;
};
struct PlanesPacked {
  std::vector<Bytes> sections;
  int planes = 0;  // bits of the largest magnitude
  std::uint64_t nonzero = 0;
};
inline constexpr std::uint32_t kNegative = 1U << 31;
// Gives n magnitudes, with kNegative where the value is below 0. Called from any thread.
using ReadValues = std::function<void(const BandPart& from, int n, std::uint32_t* to)>;
// `largest` is that of all magnitudes, or more.
PlanesPacked encode_planes(const BandShape& shape, std::uint32_t largest, const ReadValues& read);

// What is known of n values: magnitudes with kNegative, and for each group of eight how many of the lowest bits are not
// known.
struct KnownValues {
  const std::uint32_t* value;
  const std::uint8_t* left;
};
// Takes n values, from any thread.
using WriteValues = std::function<void(const BandPart& to, int n, const KnownValues& values)>;
// False where a stream that is there in full ends too early, or the sections do not hold what they should. `complete`:
// all of them are there in full.
bool decode_planes(const Sections& sections, bool complete, int planes, const BandShape& shape,
                   const WriteValues& write);

// A plane of whole numbers row by row, or its bands in nested places.
struct BandPlane {
  int width = 0, height = 0, levels = 0;
  std::vector<std::int32_t> values;
};

// --- prediction: whole numbers of all planes, one section for each stripe of rows. `shift`: bits of the samples above
// 8 ---

std::vector<Bytes> encode_predicted(std::vector<BandPlane>& planes, int shift);
bool decode_predicted(const Sections& sections, int shift, std::vector<BandPlane>& planes);

}  // namespace sieve::internal::packing
