#pragma once
// The coders behind the container: each turns planes of coefficients into sections of bytes and back.

#include <cstdint>
#include <functional>
#include <span>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::pack_detail {

using Bytes = std::vector<std::uint8_t>;

// Sections of a packed picture, as far as they are there: the last one may be cut off.
using Sections = std::vector<std::span<const std::uint8_t>>;

// --- cosine: blocks of 8x8 coefficients on planes whose sides are multiples of 8, one section for each stripe of block rows ---

struct CosineCoding {
  int across = 0, down = 0;  // blocks
  std::size_t planes = 0;
  float step = 0;            // of the quantizer
  bool perceptual = false;   // coarser for what is less seen
};
struct CosinePacked {
  std::vector<Bytes> sections;
  std::uint64_t nonzero = 0;
};
// A row of blocks: eight rows of coefficients of every plane. Filled by the caller in any order and from any thread, or taken.
using BlockRow = std::vector<Image>;
CosinePacked encode_cosine(const CosineCoding& coding, const std::function<void(int block_row, BlockRow& row)>& fill);
// False where a section ends before its blocks do.
bool decode_cosine(const Sections& sections, const CosineCoding& coding, const std::function<void(int block_row, const BlockRow& row)>& take);

// --- bit planes: nested bands of whole numbers, one section for each bit plane, the highest first ---

// The bands of a plane of width x height after some levels, in nested places.
struct BandPlane {
  int width = 0, height = 0, levels = 0;
  std::vector<std::int32_t> values;  // row by row
};
struct PlanesPacked {
  std::vector<Bytes> sections;
  int planes = 0;  // bits of the largest magnitude
  std::uint64_t nonzero = 0;
};
PlanesPacked encode_planes(const std::vector<BandPlane>& bands);
// Fills the values with what is known of them; `left` tells for each how many of its lowest bits are not. False where a
// stream that is there in full ends too early.
bool decode_planes(const Sections& sections, int planes, std::vector<BandPlane>& bands, std::vector<std::vector<std::uint8_t>>& left);

// --- prediction: whole numbers of all planes, one section for each stripe of rows. `shift`: bits of the samples above 8 ---

std::vector<Bytes> encode_predicted(std::vector<BandPlane>& planes, int shift);
bool decode_predicted(const Sections& sections, int shift, std::vector<BandPlane>& planes);

}  // namespace sieve::pack_detail
