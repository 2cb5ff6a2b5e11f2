#include "spatial/box_sums.hpp"

#include <algorithm>
#include <map>
#include <vector>

#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "spatial/lanes.hpp"

namespace sieve {

namespace {

constexpr int kBlock = 64;  // rows to a block of ready-made column sums

std::size_t index(int i) { return static_cast<std::size_t>(i); }

// The means of k neighbors along a row that holds n + k - 1 column means, in sums of 1, 2, 4, ... samples: no
// subtraction, so that rounding and NaN stay where they are. `row` is spoiled.
void mean_along(float* row, std::size_t n, std::size_t k, float* out) {
  std::size_t width = 1, length = n + k - 1, offset = 0;
  bool begun = false;
  for (std::size_t bits = k;; width *= 2) {
    if (bits & 1) {
      if (begun) {
        lanes::add(out, row + offset, n);
      } else {
        std::copy_n(row + offset, n, out);
        begun = true;
      }
      offset += width;
    }
    bits >>= 1;
    if (bits == 0) break;
    lanes::add(row, row + width, length - width);
    length -= width;
  }
}

// Sums of each column over blocks of rows, so that the first row of a strip need not add up a whole window.
class BlockSums {
 public:
  BlockSums(const ConstView& in, int k) : width_(index(in.width())), used_(k > 2 * kBlock) {
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

  // Adds the rows of a window, each as often as the border makes it appear, for `n` columns from `x` on.
  bool add(const ConstView& in, const std::map<int, int>& times, int x, int n, double* sums) const {
    bool finite = true;
    for (auto it = times.begin(); it != times.end();) {
      const int y = it->first, count = it->second;
      if (used_ && y % kBlock == 0 && y / kBlock < static_cast<int>(finite_.size()) && whole(it, times.end())) {
        const double* block = sums_.data() + width_ * index(y / kBlock) + x;
        for (int i = 0; i < n; ++i) sums[i] += block[i] * count;
        finite = finite && finite_[index(y / kBlock)] != 0;
        std::advance(it, kBlock);
        continue;
      }
      finite = lanes::accumulate(sums, in.row(y) + x, count, index(n)) && finite;
      ++it;
    }
    return finite;
  }

 private:
  // True where the next kBlock rows all appear equally often.
  static bool whole(std::map<int, int>::const_iterator it, std::map<int, int>::const_iterator end) {
    const int y = it->first, count = it->second;
    for (int i = 0; i < kBlock; ++i, ++it) {
      if (it == end || it->first != y + i || it->second != count) return false;
    }
    return true;
  }

  std::size_t width_;
  bool used_;
  std::vector<double> sums_;
  std::vector<char> finite_;
};

}  // namespace

void box_mean(const ConstView& in, int radius, Border border, float fill, const View& out) {
  const int k = 2 * radius + 1, w = in.width(), h = in.height();
  const bool stream = rows::streams(out.shape.samples());
  const double scale = 1.0 / (static_cast<double>(k) * k);
  const std::vector<float> outside(index(w), fill);
  const float outside_mean = static_cast<float>(fill * scale * k);
  const BlockSums blocks(in, k);
  // Tiles whose rows stay in the first-level cache; a wrapped border reaches across the whole row.
  const int tile = border == Border::wrap ? w : std::min(w, std::max(1024, 8 * radius));
  const int tiles = (w + tile - 1) / tile;
  const int strip = std::min(256, std::max(1, (h + 3) / 4)), strips = (h + strip - 1) / strip;

  const auto work = [&](int first, int last, int x0) {
    const int width = std::min(tile, w - x0);
    // The columns that the tile's windows see, without and with what lies beyond the picture.
    const int left = std::max(0, x0 - radius), columns = std::min(w, x0 + width + radius) - left;
    const auto source = [&](int y) {
      const auto i = border_index(y, h, border);
      return (i ? in.row(*i) : outside.data()) + left;
    };
    std::vector<double> sums(index(columns));
    std::vector<float> means(index(columns)), extended(index(width + 2 * radius)), line(index(width));
    const auto fresh = [&](int y) {
      std::map<int, int> times;
      int beyond = 0;
      for (int j = -radius; j <= radius; ++j) {
        const auto i = border_index(y + j, h, border);
        i ? ++times[*i] : ++beyond;
      }
      std::fill(sums.begin(), sums.end(), static_cast<double>(fill) * beyond);
      const bool good = blocks.add(in, times, left, columns, sums.data());
      for (int x = 0; x < columns; ++x) means[index(x)] = static_cast<float>(sums[index(x)] * scale);
      return good;
    };
    // A running sum cannot let go of a NaN: while one is in the window, each row is summed anew.
    bool finite = false;
    for (int y = first; y < last; ++y) {
      if (finite) {
        finite = lanes::slide(sums.data(), source(y + radius), source(y - 1 - radius), scale, means.data(), index(columns));
      }
      if (!finite) finite = fresh(y);
      for (int x = x0 - radius; x < left; ++x) {
        const auto i = border_index(x, w, border);
        extended[index(x - x0 + radius)] = i ? means[index(*i - left)] : outside_mean;
      }
      std::copy(means.begin(), means.end(), extended.begin() + (left - x0 + radius));
      for (int x = left + columns; x < x0 + width + radius; ++x) {
        const auto i = border_index(x, w, border);
        extended[index(x - x0 + radius)] = i ? means[index(*i - left)] : outside_mean;
      }
      mean_along(extended.data(), index(width), index(k), line.data());
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
