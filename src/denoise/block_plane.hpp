#pragma once
// The planes that block matching works on.

#include <cstddef>
#include <vector>

#include "core/workspace.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// A block by its first sample, counted from the part's that is worked on.
struct Match {
  int x, y;
};

// Rows with room before the first and behind the end of each, so that whole vectors of a search that goes beyond the
// picture may be read and written there.
struct BlockPlane {
  BlockPlane(int width, int height);
  explicit BlockPlane(const ConstView& from);
  float* at(int x, int y) { return samples.data() + kBefore + y * stride + x; }
  const float* at(int x, int y) const { return samples.data() + kBefore + y * stride + x; }
  // Where in a plane of that width a block begins, counted from its first sample.
  std::ptrdiff_t place(const Match& m) const { return m.y * stride + m.x; }
  static constexpr std::ptrdiff_t kBefore = 64;
  std::ptrdiff_t stride;
  Scratch<float> samples;
};
// One for each channel.
std::vector<BlockPlane> block_planes(const ConstView& channels);

// The mean of every block of a side, at its first sample.
BlockPlane block_means(const BlockPlane& plane, int width, int height, int side);

}  // namespace sieve::internal
