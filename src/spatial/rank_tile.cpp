#include "spatial/rank_tile.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <limits>

#include "core/context.hpp"
#include "core/float_order.hpp"
#include "core/rows.hpp"
#include "core/workspace.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "spatial/median_lanes.hpp"
#include "spatial/window_runs.hpp"

namespace sieve {

using namespace internal;

namespace {

using lanes::kGroups;
using lanes::kParts;
using lanes::kSlots;

// The samples of a part of one channel with its surroundings, sorted. The buffers are kept from tile to tile.
class Tile {
 public:
  int width = 0, height = 0;
  Scratch<std::uint8_t> group;    // of each place
  Scratch<std::uint32_t> starts;  // of each group in the lists
  Scratch<std::uint16_t> x, y;    // places by rank, with room for a vector behind
  Scratch<float> values;          // by rank

  void load(const ConstView& in, int left, int top, int w, int h, Border border, float fill) {
    width = w;
    height = h;
    const auto n = static_cast<std::size_t>(w) * static_cast<std::size_t>(h);
    samples_.resize(n);
    for (int j = 0; j < h; ++j)
      rows::extend(in, top + j, left, w, border, fill,
                   samples_.data() + static_cast<std::size_t>(j) * static_cast<std::size_t>(w));
    lanes::replace_nan(samples_.data(), n);
    sort(n);
    group.resize(n);
    values.resize(n);
    x.assign(n + 64, 65535);
    y.assign(n + 64, 65535);
    starts.resize(kGroups + 1);
    for (std::size_t g = 0; g <= kGroups; ++g) starts[g] = static_cast<std::uint32_t>(g * n / kGroups);
    for (std::size_t g = 0; g < kGroups; ++g) {
      for (std::size_t r = starts[g]; r < starts[g + 1]; ++r) {
        const auto place = static_cast<std::uint32_t>(sorted_[r]), row = place >> 16, column = place & 0xffffU;
        group[static_cast<std::size_t>(row) * static_cast<std::size_t>(w) + column] = static_cast<std::uint8_t>(g);
        values[r] = float_of(static_cast<std::uint32_t>(sorted_[r] >> 32));
        x[r] = static_cast<std::uint16_t>(column);
        y[r] = static_cast<std::uint16_t>(row);
      }
    }
  }

 private:
  // By radix, lower digits first: each entry is a key above, a row and a column below.
  void sort(std::size_t n) {
    sorted_.resize(n);
    other_.resize(n);
    constexpr int kBits = 11, kDigits = 1 << kBits;
    std::array<std::array<std::uint32_t, kDigits>, 3> counts{};
    for (std::size_t j = 0, i = 0; j < static_cast<std::size_t>(height); ++j) {
      for (std::size_t k = 0; k < static_cast<std::size_t>(width); ++k, ++i) {
        // A zero of either sign is the same number.
        const std::uint32_t key = key_of(samples_[i] + 0.0F);
        sorted_[i] = static_cast<std::uint64_t>(key) << 32 | j << 16 | k;
        for (std::size_t d = 0; d < 3; ++d) ++counts[d][key >> (kBits * d) & (kDigits - 1)];
      }
    }
    for (std::size_t d = 0; d < 3; ++d) {
      std::uint32_t sum = 0;
      for (std::uint32_t& c : counts[d]) c = std::exchange(sum, sum + c);
      for (const std::uint64_t e : sorted_) other_[counts[d][e >> (32 + kBits * d) & (kDigits - 1)]++] = e;
      std::swap(sorted_, other_);
    }
  }
  Scratch<float> samples_;
  Scratch<std::uint64_t> sorted_, other_;
};

// work(tile, x0, y0, width, height) for tiles of the picture, each with its surroundings loaded.
template <class Work>
void each_tile(const ConstView& in, int reach, Border border, float fill, Work work) {
  // Larger windows want larger tiles, so that the surroundings do not outweigh the tile.
  const int size = std::clamp(8 * reach, 128, 400), columns = (in.width() + size - 1) / size,
            rows = (in.height() + size - 1) / size;
  parallel_rows(
      columns * rows, RowCost(static_cast<std::size_t>(size) * static_cast<std::size_t>(size), 16),
      [&](int first, int last) {
        Tile tile;
        for (int t = first; t < last; ++t) {
          const int x0 = t % columns * size, y0 = t / columns * size, w = std::min(size, in.width() - x0),
                    h = std::min(size, in.height() - y0);
          tile.load(in, x0 - reach, y0 - reach, w + 2 * reach, h + 2 * reach, border, fill);
          work(tile, x0, y0, w, h);
        }
      },
      1);
}

}  // namespace

void internal::rank_square(const ConstView& in, int radius, std::uint32_t rank, Border border, float fill,
                           const View& out) {
  each_tile(in, radius, border, fill, [&](const Tile& tile, int x0, int y0, int w, int h) {
    Scratch<std::uint16_t> columns(static_cast<std::size_t>(tile.width) * kSlots);
    const auto count = [&](int row, int by) {
      const std::uint8_t* groups =
          tile.group.data() + static_cast<std::size_t>(row) * static_cast<std::size_t>(tile.width);
      std::uint16_t* slots = columns.data();
      for (int x = 0; x < tile.width; ++x, slots += kSlots) {
        slots[groups[x]] = static_cast<std::uint16_t>(slots[groups[x]] + by);
        auto& part = slots[kGroups + groups[x] / (kGroups / kParts)];
        part = static_cast<std::uint16_t>(part + by);
      }
    };
    for (int j = 0; j < 2 * radius; ++j) count(j, 1);
    for (int j = 0; j < h; ++j) {
      checkpoint();
      count(j + 2 * radius, 1);
      if (j > 0) count(j - 1, -1);
      lanes::rank_row({columns.data(), tile.starts.data(), tile.x.data(), tile.y.data(), tile.values.data(),
                       2 * radius + 1, j, rank},
                      out.row(y0 + j) + x0, static_cast<std::size_t>(w));
    }
  });
}

void internal::rank_any(const ConstView& in, std::span<const WindowOffset> window, std::uint32_t rank, Border border,
                        float fill, const View& out) {
  const int reach = reach_of(window);
  // One sample leaves before the start and one comes in at the end of each run.
  const Scratch<Run> runs = runs_of(window);
  const int side = 2 * reach + 1;
  Scratch<std::uint8_t> holds(static_cast<std::size_t>(side) * static_cast<std::size_t>(side));
  for (const WindowOffset& o : window) holds[static_cast<std::size_t>((o.dy + reach) * side + o.dx + reach)] = 1;
  each_tile(in, reach, border, fill, [&](const Tile& tile, int x0, int y0, int w, int h) {
    for (int j = 0; j < h; ++j) {
      checkpoint();
      std::array<std::uint32_t, kGroups> counts{};
      std::array<std::uint32_t, kParts> parts{};
      const auto change = [&](int x, int y, std::uint32_t by) {
        const std::uint8_t g = tile.group[static_cast<std::size_t>(y) * static_cast<std::size_t>(tile.width) +
                                          static_cast<std::size_t>(x)];
        counts[g] += by;
        parts[g / (kGroups / kParts)] += by;
      };
      for (const WindowOffset& o : window) change(o.dx + reach, j + o.dy + reach, 1);
      float* row = out.row(y0 + j) + x0;
      for (int i = 0; i < w; ++i) {
        if (i > 0) {
          for (const Run& r : runs) {
            change(i - 1 + r.from + reach, j + r.dy + reach, ~std::uint32_t{0});  // less one
            change(i + r.to + reach, j + r.dy + reach, 1);
          }
        }
        std::uint32_t left = rank;
        std::size_t part = 0;
        while (left >= parts[part]) left -= parts[part++];
        std::size_t g = part * (kGroups / kParts);
        while (left >= counts[g]) left -= counts[g++];
        for (std::uint32_t e = tile.starts[g];; ++e) {
          const int dx = tile.x[e] - i, dy = tile.y[e] - j;
          if (dx < 0 || dy < 0 || dx >= side || dy >= side || holds[static_cast<std::size_t>(dy * side + dx)] == 0)
            continue;
          if (left-- == 0) {
            row[i] = tile.values[e];
            break;
          }
        }
      }
    }
  });
}

void internal::median_small(const ConstView& in, int radius, Border border, float fill, const View& out) {
  const int side = 2 * radius + 1, w = in.width(), wide = w + 2 * radius, room = static_cast<int>(lanes::kMedianRoom);
  // Blocks of columns whose sorted samples stay in the nearest caches.
  const int block = side == 3 ? 1024 : 512;
  const auto work = [&](int first, int last) {
    const std::ptrdiff_t stride = (wide + 2 * room) / room * room;
    Scratch<float> ring(static_cast<std::size_t>(side) * static_cast<std::size_t>(stride)),
        scratch(2 * static_cast<std::size_t>(side) * static_cast<std::size_t>(block + side + 6 * room));
    Scratch<float> end(static_cast<std::size_t>(block + room));
    const auto slot = [&](int y) { return ring.data() + static_cast<std::ptrdiff_t>((y + side) % side) * stride; };
    const auto load = [&](int y) {
      rows::extend(in, y, -radius, wide, border, fill, slot(y));
      lanes::replace_nan(slot(y), static_cast<std::size_t>(wide));
    };
    for (int y = first - radius; y < first + radius; ++y) load(y);
    for (int y = first; y < last; ++y) {
      load(y + radius);
      for (int x = 0; x < w; x += block) {
        std::array<const float*, 7> from{};
        for (int i = 0; i < side; ++i) from[static_cast<std::size_t>(i)] = slot(y - radius + i) + x;
        // What is written behind a block the next one overwrites; the last one goes by way of a buffer.
        const bool near_end = x + block + room > w;
        const auto n = static_cast<std::size_t>(std::min(block, w - x));
        lanes::small_median(from.data(), side, near_end ? end.data() : out.row(y) + x, n, scratch.data());
        if (near_end) std::copy_n(end.data(), n, out.row(y) + x);
      }
    }
  };
  // Strips far higher than the window, since each loads the rows around it anew.
  parallel_rows(in.height(), RowCost(w, 8), work, strip_or_all(in.height(), std::clamp(in.height() / 8, 1, 48)));
}

}  // namespace sieve
