#pragma once
// One pass of block matching over a picture.

#include "sieve/core/image.hpp"

namespace sieve::internal {

struct BlockPassOptions {
  int side, group, search, step;
  float unlike;  // blocks of a larger mean squared difference are not of the group
  float alike;   // smaller differences are no better: of so many the group is spread out
  float noise;   // standard deviation in every plane
  float hard;    // numbers up to so many deviations are set to 0, where there is no guide
};

// The planes of a picture without what is not like anything else nearby. Groups are found in `match`; with guides, one
// for each plane, their numbers are taken for the signal's. All of one size, at least a block.
Image block_pass(const Image& planes, const ConstView& match, const Image* guides, const BlockPassOptions& options);

}  // namespace sieve::internal
