#include "denoise/block_groups.hpp"

#include <algorithm>
#include <optional>

#include "denoise/block_lanes.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

// A side of the tiles that one thread works on at a time, where blocks reach no farther than half of it.
constexpr int kTile = 64;

}  // namespace

BlockSums::BlockSums(int width, int height, int planes) : width_(width), height_(height) {
  for (int c = 0; c < planes; ++c) {
    sums_.emplace_back(width, height);
    weights_.emplace_back(width, height);
  }
}
void BlockSums::add(std::size_t plane, std::span<const std::ptrdiff_t> places, const float* blocks, std::size_t n,
                    const float* window, int side, int pitch, float weight) {
  BlockPlane &sums = sums_[plane], &weights = weights_[plane];
  lanes::add_blocks(blocks, static_cast<int>(places.size()), n, places.data(), window, side, pitch, weight,
                    sums.at(0, 0), weights.at(0, 0), sums.stride);
}
Image BlockSums::means() const {
  Image out(Shape{width_, height_, static_cast<int>(sums_.size())});
  for (int c = 0; c < out.channels(); ++c) {
    const BlockPlane &sums = sums_[static_cast<std::size_t>(c)], &weights = weights_[static_cast<std::size_t>(c)];
    parallel_rows(height_, width_, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float *s = sums.at(0, y), *w = weights.at(0, y);
        float* r = out.row(y, c);
        for (int x = 0; x < width_; ++x) r[x] = w[x] > 0 ? s[x] / w[x] : 0;
      }
    });
  }
  return out;
}

void each_group(const BlockPlane& match, const BlockPart& part, const GroupOptions& o,
                const std::function<GroupWork()>& work_of_thread) {
  const std::vector<Offset> spread = spread_offsets(o.search);
  std::optional<BlockPlane> means;
  if (o.sloping) means = block_means(match, part.place.width, part.place.height, o.side);
  // Along one direction, of `from` and the `size - 1` samples behind: a reference every `step` pixels of the picture
  // and at the last place where a block fits, if all that it looks at is in the part.
  const auto each = [&o](int from, int size, int whole, int first, int past, const auto& work) {
    const int last = whole - o.side;
    const auto there = [&](int i) {
      return std::max(0, i - o.search) >= first && std::min(last, i + o.search) + o.side <= past;
    };
    for (int i = (from + o.step - 1) / o.step * o.step; i < from + size && i < last; i += o.step) {
      if (there(i)) work(i - first);
    }
    if (last >= from && last < from + size && there(last)) work(last - first);
  };
  // Tiles of one of four colors lie so far apart that none writes where another does: no lock, and the sums are added
  // up in the same order for any number of threads. They are counted over the picture, so that a part does not matter.
  const int rim = o.search + o.side, tile = std::max(kTile, (2 * rim + o.step) / o.step * o.step),
            wide = BlockSearch::kKept * o.step;
  const Rectangle& p = part.place;
  Progress progress(4);
  for (int color = 0; color < 4; ++color) {
    // The first tile of a color from the beginning of the part on, and how many there are up to its end.
    const auto first_of = [tile](int from, int parity) { return from / tile + (from / tile % 2 == parity ? 0 : 1); };
    const auto count_of = [tile](int first, int past) {
      return std::max(0, ((past + tile - 1) / tile - first + 1) / 2);
    };
    const int x0 = first_of(p.x, color % 2), y0 = first_of(p.y, color / 2), columns = count_of(x0, p.x + p.width),
              rows = count_of(y0, p.y + p.height);
    if (columns > 0 && rows > 0) {
      parallel_rows(
          columns * rows, RowCost(static_cast<std::size_t>(tile), 64 * tile),
          [&](int first, int last) {
            BlockSearch search(match, means ? &*means : nullptr, part, o, spread);
            const GroupWork work = work_of_thread();
            for (int t = first; t < last; ++t) {
              const int left = (x0 + 2 * (t % columns)) * tile;
              for (int strip = left; strip < left + tile; strip += wide) {
                each((y0 + 2 * (t / columns)) * tile, tile, part.whole_height, p.y, p.y + p.height, [&](int y) {
                  checkpoint();
                  each(strip, std::min(wide, left + tile - strip), part.whole_width, p.x, p.x + p.width,
                       [&](int x) { work(search.find(x, y)); });
                });
              }
            }
          },
          1);
    }
    progress.add(1);
  }
}

}  // namespace sieve::internal
