#pragma once
// The slope of the levels of blocks that lie far from each other.

#include <cstddef>
#include <span>

#include "denoise/block_lanes.hpp"
#include "denoise/block_plane.hpp"

namespace sieve::internal {

// A plane through the means of blocks, by least squares, that can be taken out of the cosine transforms of the blocks
// and put back: their levels and their forms.
class GroupSlope {
 public:
  explicit GroupSlope(const lanes::BlockBasis& basis);

  // Where the blocks are that all that follows is about.
  void at(std::span<const Match> blocks);

  struct Slope {
    double across = 0, down = 0;  // per pixel
  };
  // Of a stack of `n` floats to a block. None where the blocks do not lie apart in both directions.
  Slope of(const float* stack, std::size_t n) const;
  // Adds the plane of that slope that is 0 at the first block to every block.
  void add(const Slope& slope, float* stack, std::size_t n) const;

  // The sums of squared distances from the middle over all samples: a slope times the root of that is as uncertain as
  // one sample.
  double across() const { return squares_across_; }
  double down() const { return squares_down_; }

 private:
  int side_, pitch_;
  float ramp_[lanes::kMostBlock];  // the cosine transform of a rise by 1 per pixel
  std::span<const Match> blocks_;
  double middle_x_ = 0, middle_y_ = 0, squares_across_ = 0, squares_down_ = 0, product_ = 0;
};

}  // namespace sieve::internal
