#pragma once
// All groups of like blocks of a picture, and the mean of all blocks that are put back: what block matching by cosine
// and by singular values have in common.

#include <cstddef>
#include <functional>
#include <span>
#include <vector>

#include "denoise/block_search.hpp"

namespace sieve::internal {

// Blocks put back to their places with weights: the sums of every plane.
class BlockSums {
 public:
  BlockSums(int width, int height, int planes);
  // Blocks of `n` floats each, side rows of `pitch`, weighted by `weight` times the window of the same form.
  void add(std::size_t plane, std::span<const std::ptrdiff_t> places, const float* blocks, std::size_t n,
           const float* window, int side, int pitch, float weight);
  // The weighted means, 0 where no block was put.
  Image means() const;

 private:
  int width_, height_;
  std::vector<BlockPlane> sums_, weights_;
};

// What a thread does with a group. It may add to places of blocks of the group alone.
using GroupWork = std::function<void(const BlockGroup&)>;
// The work of a new thread for the group of every reference block of the part, found in `match`; those that might find
// more beyond it are left out. No two threads work at places that blocks of both may cover, and the order at any place
// is the same for any number of them and for any part.
void each_group(const BlockPlane& match, const BlockPart& part, const GroupOptions& options,
                const std::function<GroupWork()>& work_of_thread);

}  // namespace sieve::internal
