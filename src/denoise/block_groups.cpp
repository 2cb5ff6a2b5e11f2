#include "denoise/block_groups.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <utility>

#include "denoise/block_lanes.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

// A side of the tiles that one thread works on at a time, where blocks reach no farther than half of it.
constexpr int kTile = 64;

// At equal distances by their place, so that the choice is the same everywhere.
bool nearer(const Match& a, const Match& b) {
  return a.distance != b.distance ? a.distance < b.distance : a.y != b.y ? a.y < b.y : a.x < b.x;
}

// To 13 bits, so that blocks that are equally like the reference (a drawn picture has many) are taken in the order of
// their places, however their sums were rounded.
float rounded(float distance) {
  return std::bit_cast<float>((std::bit_cast<std::uint32_t>(distance) + 0x400U) & ~0x7ffU);
}

struct Offset {
  int dx, dy;
};
// All offsets up to `reach` but 0, so that each of the first ones lies far from the others: by the fractional part of
// dx / p + dy / p^2 with the plastic number p, p^3 = p + 1 (an additive recurrence; Weyl's equidistribution).
std::vector<Offset> spread_offsets(int reach) {
  constexpr double kPlastic = 1.324717957244746;
  std::vector<std::pair<double, Offset>> all;
  for (int dy = -reach; dy <= reach; ++dy) {
    for (int dx = -reach; dx <= reach; ++dx) {
      const double t = dx / kPlastic + dy / (kPlastic * kPlastic);
      if (dx != 0 || dy != 0) all.push_back({t - std::floor(t), {dx, dy}});
    }
  }
  std::sort(all.begin(), all.end(), [](const auto& a, const auto& b) { return a.first < b.first; });
  std::vector<Offset> offsets;
  for (const auto& [place, offset] : all) offsets.push_back(offset);
  return offsets;
}

// Finds the groups of a picture; each thread has its own.
class Finder {
 public:
  Finder(const BlockPlane& match, const BlockPart& part, const GroupOptions& o, const std::vector<Offset>& spread)
      : match_(match),
        part_(part),
        o_(o),
        spread_(spread),
        distances_(static_cast<std::size_t>(2 * o.search + 1) *
                       static_cast<std::size_t>(2 * o.search + 1 + lanes::kDistanceRow) +
                   lanes::kBlockSlack),
        places_(distances_.size()) {}

  // The block at x, y and those like it.
  std::span<const Match> find(int x, int y) {
    const int x0 = std::max(-part_.place.x, x - o_.search), y0 = std::max(-part_.place.y, y - o_.search),
              x1 = std::min(part_.whole_width - part_.place.x - o_.side, x + o_.search),
              y1 = std::min(part_.whole_height - part_.place.y - o_.side, y + o_.search);
    const float* block = match_.at(x, y);
    const int columns = x1 - x0 + 1,
              pitch = (columns + lanes::kDistanceRow - 1) / lanes::kDistanceRow * lanes::kDistanceRow;
    int count = 0;
    for (int cy = y0; cy <= y1; ++cy, count += pitch) {
      float* d = distances_.data() + count;
      lanes::block_distances(block, match_.at(x0, cy), match_.stride, o_.side, columns, d);
      std::fill(d + columns, d + pitch, std::numeric_limits<float>::infinity());
    }
    // The block itself comes first, however like it another may be.
    distances_[static_cast<std::size_t>((y - y0) * pitch + x - x0)] = -1;
    const auto all = static_cast<float>(o_.side * o_.side);
    const lanes::Nearest found =
        lanes::nearest_places(distances_.data(), count, o_.group, o_.alike * all, o_.unlike * all, places_.data());
    const auto kept = static_cast<std::size_t>(std::min(o_.group, found.count));
    matches_.clear();
    if (found.alike) {
      // Very many are alike: the nearest would be those that overlap, whose noise is the same. The block itself and
      // others in an order that spreads them out are taken instead.
      matches_.push_back({-1, x, y});
      for (auto at = spread_.begin(); matches_.size() < kept; ++at) {
        const int cx = x + at->dx, cy = y + at->dy;
        if (cx < x0 || cx > x1 || cy < y0 || cy > y1) continue;
        const float d = distances_[static_cast<std::size_t>((cy - y0) * pitch + cx - x0)];
        if (d < o_.alike * all) matches_.push_back({d, cx, cy});
      }
    } else {
      for (int i = 0; i < found.count; ++i) {
        const int at = places_[static_cast<std::size_t>(i)];
        matches_.push_back({rounded(distances_[static_cast<std::size_t>(at)]), x0 + at % pitch, y0 + at / pitch});
      }
      // In order, since neighbors in the stack should be alike.
      std::sort(matches_.begin(), matches_.end(), nearer);
    }
    return std::span<const Match>(matches_).first(kept);
  }

 private:
  const BlockPlane& match_;
  BlockPart part_;
  GroupOptions o_;
  const std::vector<Offset>& spread_;
  std::vector<Match> matches_;
  Scratch<float> distances_;
  Scratch<int> places_;
};

}  // namespace

BlockPlane::BlockPlane(int width, int height)
    : stride(width + lanes::kBlockSlack),
      samples(static_cast<std::size_t>(stride) * static_cast<std::size_t>(height + 1)) {}
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

BlockSums::BlockSums(int width, int height, int planes) : width_(width), height_(height) {
  for (int c = 0; c < planes; ++c) {
    sums_.emplace_back(width, height);
    weights_.emplace_back(width, height);
  }
}
void BlockSums::add(std::size_t plane, const Match& to, const float* block, const float* window, int side, int pitch,
                    float weight) {
  BlockPlane &sums = sums_[plane], &weights = weights_[plane];
  lanes::add_block(block, window, side, pitch, weight, sums.at(to.x, to.y), weights.at(to.x, to.y), sums.stride);
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

Rectangle BlockPart::result(const GroupOptions& o) const {
  const int rim = reach(o);
  // At the ends of the picture nothing is missing.
  const int left = place.x == 0 ? 0 : place.x + rim, top = place.y == 0 ? 0 : place.y + rim,
            right = place.x + place.width == whole_width ? whole_width : place.x + place.width - rim,
            bottom = place.y + place.height == whole_height ? whole_height : place.y + place.height - rim;
  return {left, top, right - left, bottom - top};
}

void each_group(const BlockPlane& match, const BlockPart& part, const GroupOptions& o,
                const std::function<GroupWork()>& work_of_thread) {
  const std::vector<Offset> spread = spread_offsets(o.search);
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
  const int rim = o.search + o.side, tile = std::max(kTile, (2 * rim + o.step) / o.step * o.step);
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
            Finder finder(match, part, o, spread);
            const GroupWork work = work_of_thread();
            for (int t = first; t < last; ++t) {
              each((y0 + 2 * (t / columns)) * tile, tile, part.whole_height, p.y, p.y + p.height, [&](int y) {
                checkpoint();
                each((x0 + 2 * (t % columns)) * tile, tile, part.whole_width, p.x, p.x + p.width,
                     [&](int x) { work(finder.find(x, y)); });
              });
            }
          },
          1);
    }
    progress.add(1);
  }
}

}  // namespace sieve::internal
