#include "sieve/denoise/nonlocal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "core/rows.hpp"
#include "core/run.hpp"
#include "denoise/nonlocal_lanes.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/reference.hpp"

namespace sieve {

namespace {

// Wide, so that the loops run long; all of a tile stays in the second cache.
constexpr int kWide = 240, kHigh = 64;

// The least noise that is reckoned with: below it nothing is left to average.
constexpr float kLeast = 1e-4F;

// A tile's rows, a stride apart, with `halo` samples more on every side; row and column count from the tile's first.
struct Grid {
  std::vector<float> samples;
  std::ptrdiff_t stride = 0;
  int halo = 0;
  void shape(int width, int height, int around) {
    halo = around;
    // Room for a vector behind every row, and for the patches' ends behind the last.
    stride = (width + 2 * around + 31) / 16 * 16;
    samples.assign(static_cast<std::size_t>(stride) * static_cast<std::size_t>(height + 2 * around) + 64, 0);
  }
  float* at(int x, int y) { return samples.data() + static_cast<std::ptrdiff_t>(y + halo) * stride + x + halo; }
};

struct Work {
  std::vector<Grid> f, sums;
  Grid weights, total, most;
  std::vector<float> columns;  // differences summed down the patches
};

}  // namespace

Image NonlocalMeans::operator()(const ConstView& in) const { return made(*this, in); }

void NonlocalMeans::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const float s = std::max(kLeast, noise ? *noise : static_cast<float>(noise_level(in))), h = strength * s;
  note(fmt::format("noise deviation {:.4f}{}", s, noise ? "" : ", estimated"));
  const int color = in.shape.color_channels(), side = 2 * patch + 1, reach_all = patch + search;
  const float scale = 1 / (static_cast<float>(side * side * color) * h * h), floor = 2 * s * s / (h * h);
  const int columns = (in.width() + kWide - 1) / kWide, rows = (in.height() + kHigh - 1) / kHigh;
  parallel_rows(
      columns * rows, static_cast<std::size_t>(kWide) * kHigh * 64,
      [&](int first, int last) {
        thread_local Work k;
        k.f.resize(static_cast<std::size_t>(color));
        k.sums.resize(static_cast<std::size_t>(color));
        for (int t = first; t < last; ++t) {
          const int x0 = t % columns * kWide, y0 = t / columns * kHigh, w = std::min(kWide, in.width() - x0), hgt = std::min(kHigh, in.height() - y0);
          for (int c = 0; c < color; ++c) {
            auto& f = k.f[static_cast<std::size_t>(c)];
            f.shape(w, hgt, reach_all);
            for (int y = -reach_all; y < hgt + reach_all; ++y) rows::extend(in.channel(c), y0 + y, x0 - reach_all, w + 2 * reach_all, Border::mirror, 0, f.at(-reach_all, y));
            k.sums[static_cast<std::size_t>(c)].shape(w, hgt, 0);
          }
          k.weights.shape(w, hgt, search);
          k.total.shape(w, hgt, 0);
          k.most.shape(w, hgt, 0);
          // Weights are symmetric: each pair of offsets is reckoned once, for the tile and for where it is looked at from.
          for (int dy = 0; dy <= search; ++dy) {
            checkpoint();
            for (int dx = dy == 0 ? 1 : -search; dx <= search; ++dx) {
              const int from = std::min(0, -dx), to = w + std::max(0, -dx), top = -dy;
              const int wide = to - from + 2 * patch, high = hgt - top;
              // Room for a vector behind every row.
              const std::ptrdiff_t stride = (wide + 47) / 16 * 16;
              k.columns.resize(static_cast<std::size_t>(stride) * static_cast<std::size_t>(high) + 64);
              lanes::PatchRows p{};
              for (int c = 0; c < color; ++c) {
                auto& f = k.f[static_cast<std::size_t>(c)];
                p.a[c] = f.at(from - patch, top - patch);
                p.b[c] = f.at(from - patch + dx, top - patch + dy);
                p.stride = f.stride;
              }
              p.channels = color;
              p.window = side;
              lanes::patch_columns(p, k.columns.data(), stride, high, static_cast<std::size_t>(wide));
              for (int y = top; y < hgt; ++y) {
                lanes::patch_weights(k.columns.data() + (y - top) * stride, side, scale, floor, k.weights.at(from, y), static_cast<std::size_t>(to - from));
              }
              for (int y = 0; y < hgt; ++y) {
                lanes::WeightedRows r{};
                r.w = k.weights.at(0, y);
                r.v = k.weights.at(-dx, y - dy);
                for (int c = 0; c < color; ++c) {
                  r.ahead[c] = k.f[static_cast<std::size_t>(c)].at(dx, y + dy);
                  r.behind[c] = k.f[static_cast<std::size_t>(c)].at(-dx, y - dy);
                  r.sum[c] = k.sums[static_cast<std::size_t>(c)].at(0, y);
                }
                r.weight = k.total.at(0, y);
                r.most = k.most.at(0, y);
                lanes::add_weighted(r, color, static_cast<std::size_t>(w));
              }
            }
          }
          for (int c = 0; c < color; ++c) {
            for (int y = 0; y < hgt; ++y) {
              const float *sum = k.sums[static_cast<std::size_t>(c)].at(0, y), *weight = k.total.at(0, y), *most = k.most.at(0, y), *self = k.f[static_cast<std::size_t>(c)].at(0, y);
              float* r = out.row(y0 + y, c) + x0;
              for (int x = 0; x < w; ++x) {
                // A pixel unlike all others stays as it is.
                const float own = most[x] > 0 ? most[x] : 1;
                r[x] = (sum[x] + own * self[x]) / (weight[x] + own);
              }
            }
          }
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
