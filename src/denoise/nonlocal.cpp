#include "sieve/denoise/nonlocal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <vector>

#include "core/rows.hpp"
#include "core/run.hpp"
#include "denoise/nonlocal_lanes.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/reference.hpp"

namespace sieve {

namespace {

// A tile's samples and means stay in the second cache, what a group of its rows needs in the first.
constexpr int kWide = 240, kHigh = 96, kGroup = 7;

// The least noise that is reckoned with: below it nothing is left to average.
constexpr float kLeast = 1e-4F;

// Weights below count as none: a pixel unlike all others stays as it is.
constexpr float kLeastWeight = 1e-24F;

// A tile's rows, a stride apart, with `halo` samples more on every side; row and column count from the tile's first.
struct Grid {
  std::vector<float> samples;
  std::ptrdiff_t stride = 0;
  int halo = 0;
  void shape(int width, int height, int around) {
    // Whole vectors, so that the tile's rows begin on one; room for another behind every row.
    halo = (around + 15) / 16 * 16;
    stride = (width + 2 * halo + 31) / 16 * 16;
    samples.assign(static_cast<std::size_t>(stride) * static_cast<std::size_t>(height + 2 * halo) + 64, 0);
    first = samples.data() + (64 - reinterpret_cast<std::uintptr_t>(samples.data()) % 64) / sizeof(float);
  }
  float* at(int x, int y) { return first + static_cast<std::ptrdiff_t>(y + halo) * stride + x + halo; }
  float* first = nullptr;
};

class Tile {
 public:
  // The tile at x0, y0 with its surroundings.
  void load(const ConstView& in, int x0, int y0, int width, int height, const NonlocalMeans& f) {
    color_ = in.shape.color_channels();
    width_ = width;
    height_ = height;
    patch_ = f.patch;
    search_ = f.search;
    samples_.resize(static_cast<std::size_t>(color_));
    sums_.resize(static_cast<std::size_t>(color_));
    const int around = patch_ + search_;
    for (int c = 0; c < color_; ++c) {
      Grid& to = samples_[static_cast<std::size_t>(c)];
      to.shape(width, height, around);
      for (int y = -around; y < height + around; ++y) rows::extend(in.channel(c), y0 + y, x0 - around, width + 2 * around, Border::mirror, 0, to.at(-around, y));
    }
    for (Grid& sum : sums_) sum.shape(width, height, search_);
    weight_.shape(width, height, search_);
    most_.shape(width, height, search_);
  }

  // Weights are symmetric: each pair of pixels is reckoned once, for both. What falls beyond the tile is not used.
  void gather(float scale, float floor) {
    for (int dy = 0; dy <= search_; ++dy) {
      checkpoint();
      // A few rows at a time with all offsets along the row: what they read stays close.
      for (int y = -dy; y < height_; y += kGroup) {
        for (int dx = dy == 0 ? 1 : -search_; dx <= search_; ++dx) pairs(dx, dy, y, std::min(kGroup, height_ - y), scale, floor);
      }
    }
  }

  void store(int x0, int y0, const View& out) {
    for (int c = 0; c < color_; ++c) {
      for (int y = 0; y < height_; ++y) {
        const float *sum = sums_[static_cast<std::size_t>(c)].at(0, y), *weight = weight_.at(0, y), *most = most_.at(0, y), *self = samples_[static_cast<std::size_t>(c)].at(0, y);
        float* r = out.row(y0 + y, c) + x0;
        for (int x = 0; x < width_; ++x) {
          const float own = most[x] > kLeastWeight ? most[x] : 1;
          r[x] = (sum[x] + own * self[x]) / (weight[x] + own);
        }
      }
    }
  }

 private:
  void pairs(int dx, int dy, int top, int high, float scale, float floor) {
    const int side = 2 * patch_ + 1, from = dx > 0 ? -(dx + 15) / 16 * 16 : 0, n = width_ - from + std::max(0, -dx), wide = n + 2 * patch_;
    // Room for a vector behind every row.
    const std::ptrdiff_t stride = (wide + 47) / 16 * 16;
    columns_.resize(static_cast<std::size_t>(stride) * static_cast<std::size_t>(high) + 64);
    lanes::PatchRows p{};
    for (int c = 0; c < color_; ++c) {
      Grid& f = samples_[static_cast<std::size_t>(c)];
      p.a[c] = f.at(from - patch_, top - patch_);
      p.b[c] = f.at(from - patch_ + dx, top - patch_ + dy);
      p.stride = f.stride;
    }
    p.channels = color_;
    p.window = side;
    lanes::patch_columns(p, columns_.data(), stride, high, static_cast<std::size_t>(wide));
    for (int y = top; y < top + high; ++y) {
      lanes::PairRows r{};
      for (int c = 0; c < color_; ++c) {
        Grid &f = samples_[static_cast<std::size_t>(c)], &sum = sums_[static_cast<std::size_t>(c)];
        r.here_f[c] = f.at(from, y);
        r.there_f[c] = f.at(from + dx, y + dy);
        r.here.sum[c] = sum.at(from, y);
        r.there.sum[c] = sum.at(from + dx, y + dy);
      }
      r.here.weight = weight_.at(from, y);
      r.there.weight = weight_.at(from + dx, y + dy);
      r.here.most = most_.at(from, y);
      r.there.most = most_.at(from + dx, y + dy);
      lanes::spread(columns_.data() + (y - top) * stride, side, scale, floor, r, color_, static_cast<std::size_t>(n));
    }
  }

  int color_ = 1, width_ = 0, height_ = 0, patch_ = 0, search_ = 0;
  std::vector<Grid> samples_, sums_;
  Grid weight_, most_;
  std::vector<float> columns_;  // differences summed down the patches
};

}  // namespace

Image NonlocalMeans::operator()(const ConstView& in) const { return made(*this, in); }

void NonlocalMeans::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const float s = std::max(kLeast, noise ? *noise : static_cast<float>(noise_level(in))), h = strength * s;
  note(fmt::format("noise deviation {:.4f}{}", s, noise ? "" : ", estimated"));
  const int side = 2 * patch + 1;
  const float scale = 1 / (static_cast<float>(side * side * in.shape.color_channels()) * h * h), floor = 2 * s * s / (h * h);
  const int columns = (in.width() + kWide - 1) / kWide, rows = (in.height() + kHigh - 1) / kHigh;
  parallel_rows(
      columns * rows, static_cast<std::size_t>(kWide) * kHigh * 64,
      [&](int first, int last) {
        thread_local Tile tile;
        for (int t = first; t < last; ++t) {
          const int x0 = t % columns * kWide, y0 = t / columns * kHigh;
          tile.load(in, x0, y0, std::min(kWide, in.width() - x0), std::min(kHigh, in.height() - y0), *this);
          tile.gather(scale, floor);
          tile.store(x0, y0, out);
        }
      },
      1);
  copy_alpha(in, out);
}

Image NonlocalMeans::plain(const ConstView& in) const {
  return reference::nonlocal_means(in, patch, search, strength, std::max(kLeast, noise ? *noise : static_cast<float>(noise_level(in))));
}
std::string NonlocalMeans::meaning() const { return fmt::format("patches {0}x{0} in {1}x{1}", 2 * patch + 1, 2 * search + 1); }
void NonlocalMeans::describe(Description<NonlocalMeans>& d) {
  d.called("nonlocal_means", "denoise", "The mean of all places nearby that look alike: keeps texture and edges that repeat.");
  d.wrong("there are impulses: each finds no place like itself and stays; take median first. Time is short: guided is far faster.");
  d.agrees_within(1e-3);
  d.field("patch", &NonlocalMeans::patch, "pixels", "half-width of the patches that are compared", {0, 20});
  d.field("search", &NonlocalMeans::search, "pixels", "half-width of the window that is searched", {1, 50});
  d.field("strength", &NonlocalMeans::strength, "noise deviations", "how unlike patches may be", {0.01, 10});
  d.field("noise", &NonlocalMeans::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
}

}  // namespace sieve
