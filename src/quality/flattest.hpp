#pragma once
// Where in a picture to look for noise.

#include <cstddef>
#include <vector>

namespace sieve::internal {

// A part of a picture: its mean level, and how much detail its neighbors have.
struct Spot {
  float level, beside;
  std::size_t place;
};

// The places of the spots with the least detail beside them: a tenth of every eighth by level, since dark parts may
// have less noise than bright ones, and of each eighth an eighth of `least` if there are so many. By the neighbors'
// detail and not their own: of that, small noise would be chosen.
std::vector<std::size_t> flattest(std::vector<Spot> spots, std::size_t least);

}  // namespace sieve::internal
