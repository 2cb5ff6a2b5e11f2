#pragma once
// The blocks of a picture that are most like a given one.

#include <cstddef>
#include <cstdint>
#include <span>
#include <utility>
#include <vector>

#include "denoise/block_plane.hpp"

namespace sieve::internal {

// How groups are found.
struct GroupOptions {
  int side, group, search, step;
  float unlike;  // blocks of a larger mean squared difference are not of the group
  float alike;   // smaller differences are no better: of so many the group is spread out
  bool sloping;  // what the slope of the picture explains of a difference does not count for that
};

// A part of a picture, with what a pass has to look at around what it is to give.
struct BlockPart {
  Rectangle place;                // in the picture
  int whole_width, whole_height;  // of the picture

  // What a pass over this part gives: within that, all blocks that can have something in common with a place are there.
  Rectangle result(const GroupOptions& options) const;
  // How far that reaches for one sample.
  static int reach(const GroupOptions& options) { return 2 * options.search + options.side - 1; }
};

// Blocks that are alike, the one that was asked for first.
struct BlockGroup {
  std::span<const Match> blocks;
  bool spread;  // more were alike than wanted: these lie far from each other
};

// Offsets within a search, in an order in which the first ones lie far from each other.
struct Offset {
  int dx, dy;
};
std::vector<Offset> spread_offsets(int reach);

// Finds the groups of a part of a picture, in one thread. Blocks of the grid (every `step` pixels of the picture) that
// lie beside each other have squares of differences in common: they are taken of cells as large as a step, where whole
// cells make a block, and kept for the neighbors to the right and below.
class BlockSearch {
 public:
  // `means`: of the blocks by their first samples, where groups are sloping.
  BlockSearch(const BlockPlane& match, const BlockPlane* means, const BlockPart& part, const GroupOptions& options,
              std::span<const Offset> spread);

  // The block at x, y of the part and the nearest of those like it, `group` at most, in the order of their distance.
  // Fastest for places in turn along rows of up to kKept blocks.
  BlockGroup find(int x, int y);
  static constexpr int kKept = 16;

 private:
  // Distances for every offset of the search, row by row.
  struct Table {
    int x, y;  // the cell that they are of, counted over the picture
    float* distances;
  };
  const float* of_cell(int x, int y);
  const float* of_cells_beside(int x, int y);
  void compute(int x, int y, int side, float* to) const;
  void compute_all(int x, int y);
  void leave_out_beyond(int x, int y);
  const float* alike(int x, int y);
  std::pair<int, int> rows_there(int y, int side) const;

  const BlockPlane& match_;
  const BlockPlane* means_;
  BlockPart part_;
  GroupOptions options_;
  std::span<const Offset> spread_;
  int cells_;           // to a side of a block, or 0 where they do not fit
  int pitch_;           // floats to a row of a table
  std::size_t length_;  // of a table
  Scratch<float> memory_;
  Scratch<Table> single_, beside_;
  float *distances_, *level_;  // of the whole block, and less what the slope explains
  std::uint64_t a_row_;        // 2^32 / pitch, rounded up: a product is faster than a division
  float alike_;                // of the sum over a block
  float bound_ = 0;            // of the last block's distances
  Scratch<int> places_, ranks_;
  Scratch<float> near_;
  Scratch<Match> found_;
};

}  // namespace sieve::internal
