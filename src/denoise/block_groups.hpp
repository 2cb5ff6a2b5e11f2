#pragma once
// Groups of like blocks of a picture, and the mean of all blocks that are put back: what block matching by cosine and
// by singular values have in common.

#include <cstddef>
#include <functional>
#include <span>
#include <vector>

#include "core/workspace.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// How groups are found.
struct GroupOptions {
  int side, group, search, step;
  float unlike;  // blocks of a larger mean squared difference are not of the group
  float alike;   // smaller differences are no better: of so many the group is spread out
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

// A block of a group by its first sample, counted from the part's.
struct Match {
  float distance;
  int x, y;
};

// Rows with room behind their end, so that whole vectors may be read and written there.
struct BlockPlane {
  BlockPlane(int width, int height);
  explicit BlockPlane(const ConstView& from);
  float* at(int x, int y) { return samples.data() + y * stride + x; }
  const float* at(int x, int y) const { return samples.data() + y * stride + x; }
  std::ptrdiff_t stride;
  Scratch<float> samples;
};
// One for each channel.
std::vector<BlockPlane> block_planes(const ConstView& channels);

// Blocks put back to their places with weights: the sums of every plane.
class BlockSums {
 public:
  BlockSums(int width, int height, int planes);
  // side rows of `pitch` floats, weighted by `weight` times the window of the same form.
  void add(std::size_t plane, const Match& to, const float* block, const float* window, int side, int pitch,
           float weight);
  // The weighted means, 0 where no block was put.
  Image means() const;

 private:
  int width_, height_;
  std::vector<BlockPlane> sums_, weights_;
};

// What a thread does with a group, the block itself first. It may add to places of blocks of the group alone.
using GroupWork = std::function<void(std::span<const Match>)>;
// The work of a new thread for the group of every reference block of the part, found in `match`; those that might find
// more beyond it are left out. No two threads work at places that blocks of both may cover, and the order at any place
// is the same for any number of them and for any part.
void each_group(const BlockPlane& match, const BlockPart& part, const GroupOptions& options,
                const std::function<GroupWork()>& work_of_thread);

}  // namespace sieve::internal
