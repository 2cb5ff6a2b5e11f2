#include "denoise/block_plane.hpp"

#include <algorithm>

#include "denoise/search_lanes.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

BlockPlane::BlockPlane(int width, int height)
    : stride(width + lanes::kBlockSlack), samples(static_cast<std::size_t>(kBefore + stride * (height + 1))) {}
BlockPlane::BlockPlane(const ConstView& from) : BlockPlane(from.width(), from.height()) {
  parallel_rows(from.height(), from.width(), [&](int first, int last) {
    for (int y = first; y < last; ++y) std::copy_n(from.row(y), from.width(), at(0, y));
  });
}
std::vector<BlockPlane> block_planes(const ConstView& channels) {
  std::vector<BlockPlane> planes;
  for (int c = 0; c < channels.channels(); ++c) planes.emplace_back(channels.channel(c));
  return planes;
}

BlockPlane block_means(const BlockPlane& plane, int width, int height, int side) {
  BlockPlane along(width, height), means(width, height);
  const float share = 1 / static_cast<float>(side * side);
  parallel_rows(height, width, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int i = 0; i < side; ++i) {
        for (int x = 0; x + side <= width; ++x) *along.at(x, y) += *plane.at(x + i, y);
      }
    }
  });
  parallel_rows(height - side + 1, width, [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      for (int i = 0; i < side; ++i) {
        for (int x = 0; x + side <= width; ++x) *means.at(x, y) += share * *along.at(x, y + i);
      }
    }
  });
  return means;
}

}  // namespace sieve::internal
