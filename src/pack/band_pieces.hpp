#pragma once
// What a cell of the picture has of every band: the state that the coder of bit planes works on.

#include <cstdint>
#include <vector>

#include "pack/codecs.hpp"

namespace sieve::internal::packing {

inline constexpr int kCell = 512;        // pixels to a side
inline constexpr int kBlock = 8;         // coefficients to a side that are skipped together while all are 0
inline constexpr int kLargestSize = 31;  // more makes no difference to what is expected of neighbors

struct Grid {
  int across, down;
};
Grid cells_of(const BandShape& shape);

// The part of one band that lies in a cell.
struct Piece {
  BandKind kind = BandKind::low;
  int level = 0;
  std::size_t plane = 0;
  int x = 0, y = 0;                // place in its band
  int nested_x = 0, nested_y = 0;  // and among all bands
  int width = 0, height = 0;
  int parent = -1;               // the piece of the next coarser level
  int shift_x = 0, shift_y = 0;  // (i + shift) >> 1 is the place in the parent
  int before = -1;               // the same band of the plane before
  int stride = 0, block_stride = 0, blocks_across = 0, blocks_down = 0, quads_across = 0;
  bool begun = false;                // something in it is not 0
  std::vector<std::uint8_t> size;    // known magnitudes over the unit of the plane, kLargestSize at most, with a rim
  std::vector<std::int8_t> sign;     // -1, 0, 1, with the same rim
  std::vector<std::uint8_t> active;  // blocks that hold something, with a rim
  std::vector<std::uint8_t> left;    // decoder: bits of each block that are not known
  // Magnitudes and kNegative, quad by quad, four each: all bits for the encoder, what is known for the decoder.
  std::vector<std::uint32_t> values;
  std::vector<std::uint8_t> bits;  // encoder: of the largest in each block
  int most_bits = 0;               // encoder: of the largest of all

  std::size_t at(int i, int j) const {
    return static_cast<std::size_t>(j + 1) * static_cast<std::size_t>(stride) + static_cast<std::size_t>(i + 1);
  }
  std::size_t block(int i, int j) const {
    return static_cast<std::size_t>(j + 1) * static_cast<std::size_t>(block_stride) + static_cast<std::size_t>(i + 1);
  }
  // The quad of the values (2 i, 2 j) to (2 i + 1, 2 j + 1).
  std::size_t quad(int i, int j) const {
    return 4 * (static_cast<std::size_t>(j) * static_cast<std::size_t>(quads_across) + static_cast<std::size_t>(i));
  }
  BandPart row(int j) const { return {plane, kind, level, x, y + j, nested_x, nested_y + j}; }

  // Makes sizes those over the unit of the next plane, which is half of it.
  void double_sizes();
  // Fills the values and what is told of them; how many are not 0.
  std::uint64_t load(const ReadValues& read);
  // Hands all values on, row by row.
  void unload(const WriteValues& write) const;
};

// Makes `all` the pieces of a cell, coarse before fine, and all planes at each level; what an earlier cell left is used
// again.
void shape_pieces(const BandShape& shape, const Grid& cells, int cell, std::vector<Piece>& all);

}  // namespace sieve::internal::packing
