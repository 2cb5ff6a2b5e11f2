#include "denoise/bilateral_grid.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <vector>

#include "core/memory.hpp"
#include "core/rows.hpp"
#include "denoise/bilateral_grid_lanes.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "spatial/lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

// Cells of a tile: few enough that the rows of cells which a blur down the columns needs stay in the second cache,
// enough that their surroundings are little work beside them.
constexpr int kTileWidth = 128, kTileHeight = 256;

// Rows, and cells of a row, that are blurred at a time.
constexpr int kBlock = static_cast<int>(lanes::kBlockRows);

struct Taps {
  int radius;
  std::vector<float> weights;
  explicit Taps(float sigma) : radius(static_cast<int>(std::ceil(3 * sigma))) {
    for (int i = -radius; i <= radius; ++i)
      weights.push_back(std::exp(-static_cast<float>(i * i) / (2 * sigma * sigma)));
  }
};

int whole_vectors(int n) { return (n + 15) / 16 * 16; }

// Sizes that all tiles share.
struct GridPlan {
  int side, levels, pitch, splat_pitch;
  lanes::LevelScale scale;
  Taps near, alike;

  static float own(float side) { return side == 1 ? 0 : (side * side - 1) / 12 + side * side / 6; }
  GridPlan(float sigma, float range, float low, float high)
      : side(std::max(1, static_cast<int>(sigma / 2))),
        levels(std::max(1, static_cast<int>(std::ceil((high - low) / (0.5F * range)))) + 1),
        scale{low, static_cast<float>(levels - 1) / (high - low), 0.5F * (low + high), levels},
        // Averaging over a cell and interpolating between cells and levels blur by themselves; the blur of the grid is
        // smaller by that much.
        near(std::sqrt(std::max(0.01F, sigma * sigma - own(static_cast<float>(side)))) / static_cast<float>(side)),
        alike(std::sqrt(range * range * scale.per_step * scale.per_step - 1.0F / 3)) {
    pitch = whole_vectors(2 * levels);
    splat_pitch = whole_vectors(2 * (levels + alike.radius));
  }
};

// Computes a block of cells, a row of cells at a time, from the surroundings that the blurs reach.
class GridTile {
 public:
  GridTile(const GridPlan& plan, Border border) : p_(plan), border_(border) {}

  // The cells first..last - 1 across and top..bottom - 1 down.
  void run(const ConstView& in, int first, int last, int top, int bottom, const View& out) {
    const int r = p_.near.radius;
    shape(in, first, last);
    int y = top * p_.side, ready = top - 1, loaded = ready - r;
    const int end = std::min(bottom * p_.side, in.height());
    while (y < end) {
      checkpoint();
      for (; loaded < ready + kBlock + r; ++loaded) load(in, loaded);
      std::vector<const float*> rows;
      std::vector<float*> to;
      for (int g = ready - r; g < ready + kBlock + r; ++g) rows.push_back(row_of(ring_, g));
      for (int i = 0; i < kBlock; ++i) to.push_back(row_of(ready_, ready + i));
      lanes::block_sum(rows.data(), p_.near.weights.data(), 1, p_.near.weights.size(), to.data(), lanes::kBlockRows,
                       static_cast<std::size_t>(out_cells_ * p_.pitch), false);
      ready += kBlock;
      for (; y < end && row_above(y) < ready - 1; ++y) store(in, y, out);
    }
  }

 private:
  float place(int i) const { return (static_cast<float>(i) + 0.5F) / static_cast<float>(p_.side) - 0.5F; }
  int row_above(int y) const { return static_cast<int>(std::floor(place(y))); }
  // Rings of rows, counted from some way above the picture.
  float* row_of(Image& ring, int g) { return ring.row((g + p_.near.radius + 1) % ring.height()); }

  void shape(const ConstView& in, int first, int last) {
    const int r = p_.near.radius;
    from_ = (first - 1 - r) * p_.side;
    x0_ = first * p_.side;
    wide_ = std::min(last * p_.side, in.width()) - x0_;
    out_cells_ = last - first + 2;
    cells_ = out_cells_ + 2 * r;
    // One more cell at the end takes up the samples that are not finite.
    splat_.assign(static_cast<std::size_t>((cells_ + 2) * p_.splat_pitch + 2 * p_.alike.radius + 16), 0);
    along_ = unfilled({cells_ * p_.pitch, 1, 1}, 0);
    ring_ = unfilled({out_cells_ * p_.pitch, 2 * r + kBlock, 1}, 0);
    ready_ = unfilled({out_cells_ * p_.pitch, kBlock + 1, 1}, 0);
    between_ = Image((out_cells_ + 2) * p_.pitch, 1);
    const auto n = static_cast<std::size_t>(cells_ * p_.side);
    row_.resize(n + 16);
    into_.resize(n + 16);
    index_.resize(n + 16);
    share_.resize(n + 16);
    parts_.resize(4 * n + 64);
    for (std::size_t x = 0; x < n; ++x) into_[x] = static_cast<std::int32_t>(x) / p_.side * p_.splat_pitch;
    left_.resize(n + 16);
    across_.resize(n + 16);
    for (int x = 0; x < wide_; ++x) {
      const float at = place(x0_ + x);
      const int cell = static_cast<int>(std::floor(at));
      left_[static_cast<std::size_t>(x)] = (cell - first + 1) * p_.pitch;
      across_[static_cast<std::size_t>(x)] = at - static_cast<float>(cell);
    }
  }

  // Makes row g of cells the newest in the ring: shared out, blurred along the levels and across.
  void load(const ConstView& in, int g) {
    const auto n = static_cast<std::size_t>(cells_ * p_.side);
    std::fill(splat_.begin(), splat_.end(), 0.0F);
    float* grid = splat_.data() + 2 * p_.alike.radius;
    for (int i = 0; i < p_.side; ++i) {
      rows::extend(in, *border_index(g * p_.side + i, in.height(), border_), from_, static_cast<int>(n), border_, 0,
                   row_.data());
      lanes::find_levels(row_.data(), p_.scale, into_.data(), cells_ * p_.splat_pitch, index_.data(), share_.data(), n);
      lanes::add_samples(row_.data(), p_.scale, index_.data(), share_.data(), parts_.data(), grid, n);
    }
    const auto pitch = static_cast<std::size_t>(p_.pitch);
    lanes::blur_levels(grid, static_cast<std::size_t>(p_.splat_pitch), p_.alike.weights.data(), p_.alike.radius,
                       along_.row(0), pitch, static_cast<std::size_t>(cells_));
    // Along the row the same summation is used, with the cells in the place of the rows.
    float* row = row_of(ring_, g);
    std::vector<const float*> shifted(p_.near.weights.size() + kBlock - 1);
    float* to[kBlock];
    for (int i = 0; i < out_cells_; i += kBlock) {
      const int count = std::min(kBlock, out_cells_ - i);
      for (std::size_t k = 0; k < shifted.size(); ++k)
        shifted[k] = along_.row(0) + (static_cast<std::size_t>(i) + k) * pitch;
      for (int k = 0; k < count; ++k) to[k] = row + (i + k) * p_.pitch;
      lanes::block_sum(shifted.data(), p_.near.weights.data(), 1, p_.near.weights.size(), to,
                       static_cast<std::size_t>(count), pitch, false);
    }
  }

  void store(const ConstView& in, int y, const View& out) {
    const int k = row_above(y);
    const float t = place(y) - static_cast<float>(k), weights[] = {1 - t, t};
    const float* rows[] = {row_of(ready_, k), row_of(ready_, k + 1)};
    const auto n = static_cast<std::size_t>(wide_);
    lanes::weighted_sum(rows, weights, 2, between_.row(0), static_cast<std::size_t>(out_cells_ * p_.pitch), false);
    const float* row = in.row(y) + x0_;
    lanes::find_levels(row, p_.scale, left_.data(), out_cells_ * p_.pitch, index_.data(), share_.data(), n);
    lanes::read_levels(row, p_.scale, between_.row(0), static_cast<std::size_t>(p_.pitch), index_.data(),
                       across_.data(), share_.data(), parts_.data(), out.row(y) + x0_, n);
  }

  const GridPlan& p_;
  Border border_;
  int from_ = 0, x0_ = 0, wide_ = 0, cells_ = 0, out_cells_ = 0;
  std::vector<float> splat_, row_, share_, parts_, across_;
  std::vector<std::int32_t> into_, index_, left_;
  Image along_, ring_, ready_, between_;
};

}  // namespace

void internal::bilateral_on_grid(const ConstView& in, float sigma, float range, float low, float high, Border border,
                                 const View& out) {
  const GridPlan plan(sigma, range, low, high);
  const int wide = (in.width() + plan.side - 1) / plan.side, high_cells = (in.height() + plan.side - 1) / plan.side;
  const int columns = (wide + kTileWidth - 1) / kTileWidth, rows = (high_cells + kTileHeight - 1) / kTileHeight;
  Progress progress(static_cast<double>(columns) * rows);
  parallel_rows(
      columns * rows, RowCost(static_cast<std::size_t>(kTileWidth) * kTileHeight, 64),
      [&](int from, int to) {
        GridTile tile(plan, border);
        for (int t = from; t < to; ++t) {
          // Tiles of about the same size, whatever is left.
          const int c = t % columns, r = t / columns;
          tile.run(in, c * wide / columns, (c + 1) * wide / columns, r * high_cells / rows, (r + 1) * high_cells / rows,
                   out);
          progress.add(1);
        }
      },
      1);
}

}  // namespace sieve
