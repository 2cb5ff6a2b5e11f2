#pragma once
// One round of block matching by singular values over a picture.

#include "denoise/block_groups.hpp"
#include "denoise/block_noise.hpp"

namespace sieve::internal {

struct SingularOptions {
  GroupOptions groups;
  BlockNoise noise;
  float feedback;  // this share of what the rounds before took away is given back first
  bool first;      // what is then left of the noise is half of it; later rounds find it from what was taken away
};

// `planes` are the noisy picture's, `made` those of the rounds before. Groups are found in the first of these.
// All of one part of a picture; what is given is right within part.result() alone.
Image singular_round(const ConstView& planes, const ConstView& made, const BlockPart& part,
                     const SingularOptions& options);

}  // namespace sieve::internal
