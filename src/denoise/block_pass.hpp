#pragma once
// One pass of block matching by cosine over a picture.

#include "denoise/block_groups.hpp"
#include "denoise/block_noise.hpp"

namespace sieve::internal {

struct BlockPassOptions {
  GroupOptions groups;
  BlockNoise noise;
  float hard;  // numbers up to so many deviations are set to 0, where there is no guide
};

// The planes of a part of a picture without what is not like anything else nearby. Groups are found in `match`, of a
// power of two blocks; with guides, one for each plane, their numbers are taken for the signal's. All of one size, at
// least a block. What is given is right within part.result() alone.
Image block_pass(const ConstView& planes, const ConstView& match, const ConstView* guides, const BlockPart& part,
                 const BlockPassOptions& options);

}  // namespace sieve::internal
