#include "sieve/denoise/nonlocal.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cstdlib>
#include <iterator>
#include <vector>

#include "core/rows.hpp"
#include "core/workspace.hpp"
#include "denoise/border_help.hpp"
#include "denoise/least_risk.hpp"
#include "denoise/nonlocal_lanes.hpp"
#include "run/validate.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/quality/estimate.hpp"

namespace sieve {

using namespace internal;

namespace {

// What a tile holds and the differences of a group of its rows stay in the second cache, the weights of a row in the
// first.
constexpr int kWide = 240, kHigh = 96, kGroup = 21;

// The least noise that is reckoned with: below it nothing is left to average.
constexpr float kLeast = 1e-4F;

// Weights below count as none: a pixel unlike all others stays as it is.
constexpr float kLeastWeight = 1e-18F;

// A plane with a rim: `beside` more samples at both ends of each row and `beyond` more rows above and below. at(0, 0)
// is the first sample inside of the rim.
struct Grid {
  Scratch<float> samples;
  std::ptrdiff_t stride = 0;
  float* first = nullptr;
  void shape(int width, int height, int beside, int beyond) {
    // Whole vectors, so that rows begin on one; room for two more behind every row.
    const int before = whole(beside);
    stride = whole(width + 32) + 2 * before;
    samples.assign(static_cast<std::size_t>(stride) * static_cast<std::size_t>(height + 2 * beyond) + 64, 0);
    first = samples.data() + (64 - reinterpret_cast<std::uintptr_t>(samples.data()) % 64) / sizeof(float) +
            beyond * stride + before;
  }
  float* at(int x, int y) { return first + static_cast<std::ptrdiff_t>(y) * stride + x; }
  static int whole(int n) { return (n + 15) / 16 * 16; }
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
    margin_ = Grid::whole(search_);
    for (int c = 0; c < color_; ++c) {
      Grid& to = samples_[static_cast<std::size_t>(c)];
      to.shape(width, height, margin_ + around, around);
      for (int y = -around; y < height + around; ++y)
        rows::extend(in.channel(c), y0 + y, x0 - around, width + 2 * around, f.border, 0, to.at(-around, y));
    }
    for (Grid& sum : sums_) sum.shape(width, height, 0, 0);
    weight_.shape(width, height, 0, 0);
    most_.shape(width, height, 0, 0);
    columns_.shape(width + margin_ + search_ + 2 * patch_, kGroup * (2 * search_ + 1), 0, 0);
    weights_.shape(width + margin_ + search_, 2 * search_ + 1, 0, 0);
  }

  // The weight of two pixels is the same seen from either, so each pair is computed once and used for both. A few rows
  // are done at a time, with all offsets along the row: the means of a pixel are then summed up in registers.
  void gather(float scale, float floor) {
    for (int dy = 0; dy <= search_; ++dy) {
      for (int y = -dy; y < height_; y += kGroup) {
        checkpoint();
        const int first = dy == 0 ? 1 : -search_, high = std::min(kGroup, height_ - y);
        differences(first, dy, y, high);
        for (int i = 0; i < high; ++i) {
          for (int k = 0; k <= search_ - first; ++k)
            lanes::patch_weights(columns(k, i), 2 * patch_ + 1, scale, floor, weights_.at(0, k),
                                 static_cast<std::size_t>(width_ + margin_ + search_));
          if (y + i >= 0) mean(y + i, y + i + dy, first, 1);
          if (y + i + dy < height_) mean(y + i + dy, y + i, -first, -1);
        }
      }
    }
  }

  void store(int x0, int y0, const View& out) {
    for (int c = 0; c < color_; ++c) {
      for (int y = 0; y < height_; ++y) {
        const float *sum = sums_[static_cast<std::size_t>(c)].at(0, y), *weight = weight_.at(0, y),
                    *most = most_.at(0, y), *self = samples_[static_cast<std::size_t>(c)].at(0, y);
        float* r = out.row(y0 + y, c) + x0;
        for (int x = 0; x < width_; ++x) {
          const float own = most[x] > kLeastWeight ? most[x] : 1;
          r[x] = (sum[x] + own * self[x]) / (weight[x] + own);
        }
      }
    }
  }

 private:
  // Differences summed down the patches, of the pixels of rows top..top + high - 1 and those first..search_ columns and
  // dy rows from them.
  void differences(int first, int dy, int top, int high) {
    lanes::PatchRows p{};
    p.channels = color_;
    p.window = 2 * patch_ + 1;
    for (int dx = first; dx <= search_; ++dx) {
      for (int c = 0; c < color_; ++c) {
        Grid& f = samples_[static_cast<std::size_t>(c)];
        p.a[c] = f.at(-margin_ - patch_, top - patch_);
        p.b[c] = f.at(-margin_ - patch_ + dx, top - patch_ + dy);
        p.stride = f.stride;
      }
      lanes::patch_columns(p, columns(dx - first, 0), columns_.stride, high,
                           static_cast<std::size_t>(width_ + margin_ + search_ + 2 * patch_));
    }
  }
  float* columns(int k, int i) { return columns_.at(0, k * kGroup + i); }

  // Adds to the means of row `to` the weighted samples of row `from`, for every column offset from `first` to the end
  // of the search window. `way` is 1 where the offsets run to the right of a pixel (`from` is the lower row of a pair)
  // and -1 where they run to its left (`from` is the upper row).
  void mean(int to, int from, int first, int way) {
    lanes::Weighted w{};
    lanes::Means m{};
    for (int c = 0; c < color_; ++c) {
      w.samples[c] = samples_[static_cast<std::size_t>(c)].at(first, from);
      m.sum[c] = sums_[static_cast<std::size_t>(c)].at(0, to);
    }
    // weights_ is indexed by the pixel of the upper row. For the lower row of the pair the weight therefore stands at
    // the column of the sample, not at that of the pixel whose mean is gathered: it moves along with the offset.
    w.weights = weights_.at(0, 0) + margin_ + (way < 0 ? first : 0);
    w.sample_step = way;
    w.weight_step = weights_.stride + (way < 0 ? way : 0);
    w.count = way * (search_ * way - first) + 1;
    w.channels = color_;
    m.weight = weight_.at(0, to);
    m.most = most_.at(0, to);
    lanes::gather_means(w, m, static_cast<std::size_t>(width_));
  }

  int color_ = 1, width_ = 0, height_ = 0, patch_ = 0, search_ = 0, margin_ = 0;
  std::vector<Grid> samples_, sums_;
  Grid weight_, most_;
  Grid columns_, weights_;  // of a few rows and of one, by the offset along the row
};

// Strengths of which the best is chosen.
constexpr float kNonlocalStrengths[] = {0.25F, 0.35F, 0.5F, 0.7F, 1};

float deviation_of(const NonlocalMeans& f, const ConstView& in) {
  return std::max(kLeast, f.noise ? *f.noise : static_cast<float>(noise_level(in)));
}
ChosenSetting chosen_strength(const NonlocalMeans& f, const ConstView& in, float deviation) {
  return {f.strength, in.shape, std::size(kNonlocalStrengths), [&] {
            NonlocalMeans told = f;
            told.noise = deviation;
            return ChosenSetting::best(told, &NonlocalMeans::strength, in, kNonlocalStrengths, deviation, 1,
                                       [](auto&, const Rectangle&) {});
          }};
}

}  // namespace

Image NonlocalMeans::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void NonlocalMeans::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const float s = deviation_of(*this, in);
  const ChosenSetting chosen = chosen_strength(*this, in, s);
  const float times = chosen.value(), h = times * s;
  if (notes_heard())
    note(fmt::format("noise deviation {:.4f}{}, strength {:.3f}{}", s, noise ? "" : ", estimated", times,
                     strength ? "" : ", of the least estimated error"));
  const int side = 2 * patch + 1;
  const float scale = 1 / (static_cast<float>(side * side * in.shape.color_channels()) * h * h),
              floor = 2 * s * s / (h * h);
  const int columns = (in.width() + kWide - 1) / kWide, rows = (in.height() + kHigh - 1) / kHigh;
  parallel_rows(
      columns * rows, RowCost(static_cast<std::size_t>(kWide) * kHigh, 64),
      [&](int first, int last) {
        Tile tile;
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

void NonlocalMeans::describe(Description<NonlocalMeans>& d) {
  d.called("nonlocal_means", "denoise",
           "The mean of all places nearby that look alike: keeps texture and edges that repeat.");
  d.also({"NLM", "denoise", "grain", "patches"});
  d.wrong(
      "there are impulses: each finds no place like itself and stays; take median first. Time is short: guided is far "
      "faster, and wavelet_shrink as good on photographs.");
  d.window([](const NonlocalMeans& f) { return f.patch + f.search; });
  d.measures([](const NonlocalMeans& f) { return !f.noise || !f.strength; });
  d.settles([](const NonlocalMeans& f, const ConstView& in) {
    NonlocalMeans settled = f;
    settled.noise = deviation_of(f, in);
    settled.strength = chosen_strength(f, in, *settled.noise).value();
    return settled;
  });
  d.undivided();
  d.meaning([](const NonlocalMeans& f) {
    return fmt::format("patches {0}x{0} in {1}x{1}", 2 * f.patch + 1, 2 * f.search + 1);
  });
  d.field("patch", &NonlocalMeans::patch, "pixels", "half-width of the patches that are compared", {0, 20});
  d.field("search", &NonlocalMeans::search, "pixels", "half-width of the window that is searched", {1, 50});
  d.field("strength", &NonlocalMeans::strength, "noise deviations",
          "how unlike patches may be; auto: of the least estimated error", {0.01, 10});
  d.takes_noise([](NonlocalMeans& f, float deviation) { f.noise = deviation; });
  d.field("noise", &NonlocalMeans::noise, "0..1 scale", "standard deviation of the noise", {0, 1});
  d.border(&NonlocalMeans::border, nullptr, picture_borders(), kNoisyBorderHelp);
}

}  // namespace sieve
