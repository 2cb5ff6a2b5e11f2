#include "spatial/box_sums.hpp"

#include <algorithm>
#include <utility>
#include <vector>

#include "core/index.hpp"
#include "core/rows.hpp"
#include "core/workspace.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"
#include "spatial/mean_rows.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kBlock = 16;  // rows to a block of ready-made column sums

// Sums of each column over blocks of rows, so that the first row of a strip need not add up a whole window.
class BlockSums {
 public:
  BlockSums(const ConstView& in, int k) : width_(index(in.width())), used_(k > 512) {
    if (!used_) return;
    const int blocks = in.height() / kBlock;
    sums_.assign(width_ * index(blocks), 0.0);
    finite_.assign(index(blocks), 0);
    parallel_rows(
        blocks, width_ * kBlock,
        [&](int first, int last) {
          for (int b = first; b < last; ++b) {
            bool good = true;
            for (int y = b * kBlock; y < (b + 1) * kBlock; ++y) {
              good = lanes::accumulate(sums_.data() + width_ * index(b), in.row(y), 1, width_) && good;
            }
            finite_[index(b)] = good;
          }
        },
        1);
  }

  // Adds every row y of the picture times[y] times, for `n` columns from `x` on.
  bool add(const ConstView& in, const Scratch<int>& times, int x, int n, double* sums) const {
    bool finite = true;
    const int h = in.height();
    for (int y = 0; y < h;) {
      const int count = times[index(y)];
      if (used_ && y % kBlock == 0 && y + kBlock <= h &&
          std::all_of(times.begin() + y, times.begin() + y + kBlock, [count](int t) { return t == count; })) {
        if (count > 0) {
          const double* block = sums_.data() + width_ * index(y / kBlock) + x;
          for (int i = 0; i < n; ++i) sums[i] += block[i] * count;
          finite = finite && finite_[index(y / kBlock)] != 0;
        }
        y += kBlock;
        continue;
      }
      if (count > 0) finite = lanes::accumulate(sums, in.row(y) + x, count, index(n)) && finite;
      ++y;
    }
    return finite;
  }

 private:
  std::size_t width_;
  bool used_;
  Scratch<double> sums_;
  Scratch<char> finite_;
};

void box_mean_by_rows(const ConstView& in, int radius, Border border, float fill, const View& out) {
  const bool stream = rows::streams(out.shape.samples());
  each_window_tile(in.width(), in.height(), radius, [&](const Rectangle& t) {
    MeanRows means(radius, t.width, in.place.y + t.y - radius);
    for (int y = t.y - radius; y < t.y + t.height + radius; ++y) {
      rows::extend(in, y, t.x - radius, t.width + 2 * radius, border, fill, means.next());
      means.push();
      if (y >= t.y + radius)
        rows::copy(means.means(), out.row(y - radius) + t.x, static_cast<std::size_t>(t.width), stream);
    }
  });
}

}  // namespace

void internal::box_mean(const ConstView& in, int radius, Border border, float fill, const View& out) {
  if (radius <= kSteadyMeanRadius) return box_mean_by_rows(in, radius, border, fill, out);
  const int k = 2 * radius + 1, w = in.width(), h = in.height();
  const bool stream = rows::streams(out.shape.samples());
  const double scale = 1.0 / (static_cast<double>(k) * k);
  const Scratch<float> outside(index(w), fill);
  const float outside_mean = static_cast<float>(fill * scale * k);
  const BlockSums blocks(in, k);
  // Tiles whose rows stay in the first-level cache; a wrapped border reaches across the whole row.
  const int tile = border == Border::wrap ? w : std::min(w, std::max(4096, 8 * radius));
  const int tiles = (w + tile - 1) / tile;
  const int strip = std::min(std::clamp(3 * k, 256, 768), std::max(1, (h + 3) / 4)), strips = (h + strip - 1) / strip;

  const auto work = [&](int first, int last, int x0) {
    const int width = std::min(tile, w - x0);
    // The columns that the tile's windows see, without and with what lies beyond the picture.
    const int left = std::max(0, x0 - radius), columns = std::min(w, x0 + width + radius) - left;
    const auto source = [&](int y) {
      const auto i = border_index(y, h, border);
      return (i ? in.row(*i) : outside.data()) + left;
    };
    Scratch<double> sums(index(columns));
    Scratch<float> extended(index(width + 2 * radius) + lanes::kSlack), line(index(width) + lanes::kSlack);
    float* means = extended.data() + (left - x0 + radius);
    const auto fresh = [&](int y) {
      Scratch<int> times(index(h));
      int beyond = 0;
      for (int j = -radius; j <= radius; ++j) {
        const auto i = border_index(y + j, h, border);
        ++(i ? times[index(*i)] : beyond);
      }
      std::fill(sums.begin(), sums.end(), static_cast<double>(fill) * beyond);
      const bool good = blocks.add(in, times, left, columns, sums.data());
      for (int x = 0; x < columns; ++x) means[x] = static_cast<float>(sums[index(x)] * scale);
      return good;
    };
    // Which column stands at each place beyond the picture, -1 for the fill; at an edge border it is the outermost.
    const int before = left - (x0 - radius), behind = x0 + width + radius - (left + columns);
    Scratch<std::pair<float*, int>> beyond;
    for (int x = x0 - radius; border != Border::edge && x < x0 + width + radius; ++x) {
      if (x >= left && x < left + columns) continue;
      const auto i = border_index(x, w, border);
      beyond.emplace_back(&extended[index(x - x0 + radius)], i ? *i - left : -1);
    }
    // A running sum cannot let go of a NaN: while one is in the window, each row is summed anew.
    bool finite = false;
    for (int y = first; y < last; ++y) {
      if (finite) {
        finite = lanes::slide(sums.data(), source(y + radius), source(y - 1 - radius), scale, means, index(columns));
      }
      if (!finite) finite = fresh(y);
      if (border == Border::edge) {
        std::fill_n(means - before, before, means[0]);
        std::fill_n(means + columns, behind, means[columns - 1]);
      }
      for (const auto& [to, column] : beyond) *to = column < 0 ? outside_mean : means[column];
      std::fill_n(extended.begin() + width + 2 * radius, lanes::kSlack, 0.0F);
      if (finite) {
        lanes::running_sums(extended.data(), index(width), index(k), out.row(y) + x0, stream);
        continue;
      }
      lanes::window_sums(extended.data(), index(width), index(k), line.data());
      rows::copy(line.data(), out.row(y) + x0, index(width), stream);
    }
  };
  parallel_rows(
      strips * tiles, index(strip) * index(tile),
      [&](int first, int last) {
        for (int i = first; i < last; ++i) {
          const int top = i / tiles * strip;
          work(top, std::min(h, top + strip), i % tiles * tile);
        }
      },
      1);
}

}  // namespace sieve
