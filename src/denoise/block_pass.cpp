#include "denoise/block_pass.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>
#include <limits>
#include <span>
#include <utility>
#include <vector>

#include "core/workspace.hpp"
#include "denoise/block_lanes.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

// A side of the tiles that one thread works on at a time, where blocks reach no farther than half of it.
constexpr int kTile = 64;

struct Match {
  float distance;
  int x, y;
};
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
// dx / p
// + dy / p^2 with the plastic number p, p^3 = p + 1 (an additive recurrence; Weyl's equidistribution).
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

// Kaiser's window with beta 2, so that blocks end softly.
Scratch<float> soft_window(int side, int pitch) {
  const auto bessel = [](double x) {
    double sum = 1, term = 1;
    for (int k = 1; k < 20; ++k) sum += term *= (x / (2 * k)) * (x / (2 * k));
    return sum;
  };
  constexpr double kBeta = 2;
  Scratch<float> window(static_cast<std::size_t>(side * pitch), 0.0F);
  const auto along = [&](int i) {
    const double t = side > 1 ? 2.0 * i / (side - 1) - 1 : 0;
    return bessel(kBeta * std::sqrt(std::max(0.0, 1 - t * t))) / bessel(kBeta);
  };
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x)
      window[static_cast<std::size_t>(y * pitch + x)] = static_cast<float>(along(y) * along(x));
  }
  return window;
}

// Rows with room behind their end, so that whole vectors may be read and written there.
struct Plane {
  Plane(int width, int height)
      : stride(width + lanes::kBlockSlack),
        samples(static_cast<std::size_t>(stride) * static_cast<std::size_t>(height + 1)) {}
  explicit Plane(const ConstView& from) : Plane(from.width(), from.height()) {
    parallel_rows(from.height(), from.width(), [&](int first, int last) {
      for (int y = first; y < last; ++y) std::copy_n(from.row(y), from.width(), at(0, y));
    });
  }
  float* at(int x, int y) { return samples.data() + y * stride + x; }
  const float* at(int x, int y) const { return samples.data() + y * stride + x; }
  std::ptrdiff_t stride;
  Scratch<float> samples;
};

class BlockPass {
 public:
  BlockPass(const Image& planes, const ConstView& match, const Image* guides, const BlockPassOptions& o)
      : o_(o),
        width_(planes.width()),
        height_(planes.height()),
        basis_(o.side),
        window_(soft_window(o.side, basis_.pitch)),
        spread_(spread_offsets(o.search)),
        match_(match) {
    for (int c = 0; c < planes.channels(); ++c) {
      planes_.emplace_back(planes.view().channel(c));
      if (guides != nullptr) guides_.emplace_back(guides->view().channel(c));
      sums_.emplace_back(width_, height_);
      weights_.emplace_back(width_, height_);
    }
  }

  Image run() {
    // Tiles of one of four colors lie so far apart that none writes where another does: no lock, and the sums are added
    // up in the same order for any number of threads.
    const int rim = o_.search + o_.side, tile = std::max(kTile, (2 * rim + o_.step) / o_.step * o_.step);
    const int across = (width_ + tile - 1) / tile, down = (height_ + tile - 1) / tile;
    Progress progress(4);
    for (int color = 0; color < 4; ++color) {
      const int x0 = color % 2, y0 = color / 2, columns = (across - x0 + 1) / 2, rows = (down - y0 + 1) / 2;
      if (columns > 0 && rows > 0) {
        parallel_rows(
            columns * rows, RowCost(static_cast<std::size_t>(tile), 64 * tile),
            [&](int first, int last) {
              Work work(*this);
              for (int t = first; t < last; ++t)
                work.tile({(x0 + 2 * (t % columns)) * tile, (y0 + 2 * (t / columns)) * tile, tile, tile});
            },
            1);
      }
      progress.add(1);
    }
    Image out(Shape{width_, height_, static_cast<int>(planes_.size())});
    for (int c = 0; c < out.channels(); ++c) {
      const Plane &sums = sums_[static_cast<std::size_t>(c)], &weights = weights_[static_cast<std::size_t>(c)];
      parallel_rows(height_, width_, [&](int first, int last) {
        for (int y = first; y < last; ++y) {
          const float *s = sums.at(0, y), *w = weights.at(0, y);
          float* r = out.row(y, c);
          for (int x = 0; x < width_; ++x) r[x] = s[x] / w[x];
        }
      });
    }
    return out;
  }

 private:
  // What a thread needs for itself.
  class Work {
   public:
    explicit Work(BlockPass& pass)
        : p_(pass),
          n_(static_cast<std::size_t>(pass.o_.side * pass.basis_.pitch + 15) / 16 * 16),
          distances_(static_cast<std::size_t>(2 * pass.o_.search + 1) *
                         static_cast<std::size_t>(2 * pass.o_.search + 1 + lanes::kDistanceRow) +
                     lanes::kBlockSlack),
          places_(distances_.size()),
          stack_(n_ * lanes::kMostGroup, 0.0F),
          guide_(n_ * lanes::kMostGroup, 0.0F) {}

    void tile(const Rectangle& t) {
      const BlockPassOptions& o = p_.o_;
      const auto each = [&](int from, int size, int whole, auto work) {
        // Every `step` pixels, and the last place where a block fits.
        const int last = whole - o.side;
        for (int i = (from + o.step - 1) / o.step * o.step; i < from + size && i < last; i += o.step) work(i);
        if (last >= from && last < from + size) work(last);
      };
      each(t.y, t.height, p_.height_, [&](int y) {
        checkpoint();
        each(t.x, t.width, p_.width_, [&](int x) { reference(x, y); });
      });
    }

   private:
    void reference(int x, int y) {
      const BlockPassOptions& o = p_.o_;
      const int x0 = std::max(0, x - o.search), x1 = std::min(p_.width_ - o.side, x + o.search),
                y0 = std::max(0, y - o.search), y1 = std::min(p_.height_ - o.side, y + o.search);
      const float* block = p_.match_.at(x, y);
      const int columns = x1 - x0 + 1,
                pitch = (columns + lanes::kDistanceRow - 1) / lanes::kDistanceRow * lanes::kDistanceRow;
      int count = 0;
      for (int cy = y0; cy <= y1; ++cy, count += pitch) {
        float* d = distances_.data() + count;
        lanes::block_distances(block, p_.match_.at(x0, cy), p_.match_.stride, o.side, columns, d);
        std::fill(d + columns, d + pitch, std::numeric_limits<float>::infinity());
      }
      // The block itself comes first, however like it another may be.
      distances_[static_cast<std::size_t>((y - y0) * pitch + x - x0)] = -1;
      const auto all = static_cast<float>(o.side * o.side);
      const lanes::Nearest found =
          lanes::nearest_places(distances_.data(), count, o.group, o.alike * all, o.unlike * all, places_.data());
      const auto kept = std::bit_floor(static_cast<std::size_t>(std::min(o.group, found.count)));
      matches_.clear();
      if (found.alike) {
        // Very many are alike: the nearest would be those that overlap, whose noise is the same. The block itself and
        // others in an order that spreads them out are taken instead.
        matches_.push_back({-1, x, y});
        for (auto at = p_.spread_.begin(); matches_.size() < kept; ++at) {
          const int cx = x + at->dx, cy = y + at->dy;
          if (cx < x0 || cx > x1 || cy < y0 || cy > y1) continue;
          const float d = distances_[static_cast<std::size_t>((cy - y0) * pitch + cx - x0)];
          if (d < o.alike * all) matches_.push_back({d, cx, cy});
        }
      } else {
        for (int i = 0; i < found.count; ++i) {
          const int at = places_[static_cast<std::size_t>(i)];
          matches_.push_back({rounded(distances_[static_cast<std::size_t>(at)]), x0 + at % pitch, y0 + at / pitch});
        }
        // In order, since neighbors in the stack should be alike.
        std::sort(matches_.begin(), matches_.end(), nearer);
      }
      group(std::span<const Match>(matches_).first(kept));
    }

    void group(std::span<const Match> matches) {
      const auto count = static_cast<int>(matches.size());
      for (std::size_t c = 0; c < p_.planes_.size(); ++c) {
        load(p_.planes_[c], matches, stack_.data());
        float weight = 0;
        const float noise = p_.o_.noise;
        if (p_.guides_.empty()) {
          const int kept = lanes::shrink_hard(stack_.data(), count, n_, p_.o_.hard * noise);
          weight = 1 / static_cast<float>(std::max(1, kept));
        } else {
          load(p_.guides_[c], matches, guide_.data());
          weight = 1 / std::max(1e-3F, lanes::shrink_by_guide(stack_.data(), guide_.data(), count, n_, noise * noise));
        }
        float* block = stack_.data();
        for (const Match& m : matches) {
          lanes::block_inverse(p_.basis_, block);
          lanes::add_block(block, p_.window_.data(), p_.o_.side, p_.basis_.pitch, weight, p_.sums_[c].at(m.x, m.y),
                           p_.weights_[c].at(m.x, m.y), p_.sums_[c].stride);
          block += n_;
        }
      }
    }

    void load(const Plane& plane, std::span<const Match> matches, float* stack) const {
      for (const Match& m : matches) {
        lanes::block_forward(p_.basis_, plane.at(m.x, m.y), plane.stride, stack);
        stack += n_;
      }
    }

    BlockPass& p_;
    std::size_t n_;  // floats to a block
    std::vector<Match> matches_;
    Scratch<float> distances_;
    Scratch<int> places_;
    Scratch<float> stack_, guide_;
  };

  BlockPassOptions o_;
  int width_, height_;
  lanes::BlockBasis basis_;
  Scratch<float> window_;
  std::vector<Offset> spread_;
  Plane match_;
  std::vector<Plane> planes_, guides_, sums_, weights_;
};

}  // namespace

Image block_pass(const Image& planes, const ConstView& match, const Image* guides, const BlockPassOptions& options) {
  return BlockPass(planes, match, guides, options).run();
}

}  // namespace sieve::internal
