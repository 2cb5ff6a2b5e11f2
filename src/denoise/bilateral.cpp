#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/rows.hpp"
#include "core/run.hpp"
#include "denoise/bilateral_lanes.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/denoise/bilateral.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/reference.hpp"
#include "sieve/spatial/smooth.hpp"
#include "spatial/row_ring.hpp"
#include "tone/range.hpp"

namespace sieve {

std::span<const std::pair<const char*, BilateralWay>> ChoiceNames<BilateralWay>::all() {
  static constexpr std::pair<const char*, BilateralWay> names[] = {{"best", BilateralWay::best}, {"exact", BilateralWay::exact}, {"fast", BilateralWay::fast}};
  return names;
}

namespace {

int radius_of(float sigma) { return static_cast<int>(std::ceil(2.5F * sigma)); }

float range_of(const Bilateral& f, const ConstView& in) { return f.range ? *f.range : std::max(0.02F, static_cast<float>(2.5 * noise_level(in))); }

void exact(const ConstView& in, float sigma, float range, const View& out) {
  const int radius = radius_of(sigma);
  struct Tap {
    int dx, dy;
    float log;
  };
  std::vector<Tap> all;
  for (int dy = -radius; dy <= radius; ++dy) {
    for (int dx = -radius; dx <= radius; ++dx) all.push_back({dx, dy, -static_cast<float>(dx * dx + dy * dy) / (2 * sigma * sigma)});
  }
  std::vector<float> logs;
  for (const Tap& t : all) logs.push_back(t.log);
  const auto n = static_cast<std::size_t>(in.width());
  parallel_rows(in.height(), n * all.size() / 4, [&](int first, int last) {
    RowRing ring(in, 2 * radius + 1, radius, radius, Border::mirror, 0);
    for (int y = first - radius; y < first + radius; ++y) ring.load(y);
    std::vector<const float*> rows(all.size());
    for (int y = first; y < last; ++y) {
      checkpoint();
      ring.load(y + radius);
      for (std::size_t i = 0; i < all.size(); ++i) rows[i] = ring.row(y + all[i].dy) + radius + all[i].dx;
      lanes::bilateral_row(ring.row(y) + radius, {rows.data(), logs.data(), all.size(), 1 / (2 * range * range)}, out.row(y), n);
    }
  });
}

// The rows first..last-1 of the result, from the rows that blurs reach.
class Levels {
 public:
  Levels(const ConstView& in, float sigma, float range, float low, float high)
      : in_(in),
        falloff_(1 / (2 * range * range)),
        low_(low),
        count_(std::max(1, static_cast<int>(std::ceil((high - low) / (0.5F * range)))) + 1),
        step_((high - low) / static_cast<float>(count_ - 1)),
        side_(std::max(1, static_cast<int>(sigma / 2))),
        reach_(side_ * static_cast<int>(std::ceil(4 * sigma / static_cast<float>(side_)) + 2)),
        wide_((in.width() + 2 * reach_ + side_ - 1) / side_) {
    // What the mean of a cell and the interpolation between cells blur by themselves.
    const float d2 = static_cast<float>(side_ * side_), own = side_ == 1 ? 0 : (d2 - 1) / 12 + d2 / 6;
    sigma_ = std::sqrt(std::max(0.01F, sigma * sigma - own)) / static_cast<float>(side_);
    for (int x = 0; x < in.width(); ++x) {
      const float place = (static_cast<float>(x + reach_) + 0.5F) / static_cast<float>(side_) - 0.5F;
      const int left = static_cast<int>(place);
      across_.push_back({2 * static_cast<std::size_t>(left), place - static_cast<float>(left)});
    }
  }

  int count() const { return count_; }

  // How many rows at a time keep the levels within a fair amount of memory.
  int strip() const {
    const double row = 8.0 * wide_ * count_ / side_;
    return std::max(4 * reach_, static_cast<int>(400e6 / row)) / side_ * side_;
  }

  void run(int first, int last, const View& out, Progress& progress) const {
    // The mirrored surroundings are part of the grid: a mirror within the grid would not lie at the picture's border.
    const int top = first - reach_, high = (last + reach_ - top + side_ - 1) / side_;
    std::vector<Image> weights, sums;
    const Gaussian blur{.sigma = sigma_, .border = Border::mirror};
    Image w(wide_, high), v(wide_, high);
    for (int s = 0; s < count_; ++s) {
      reduce(top, low_ + step_ * static_cast<float>(s), w, v);
      weights.push_back(blur(w));
      sums.push_back(blur(v));
      progress.add(1);
    }
    parallel_rows(last - first, static_cast<std::size_t>(in_.width()) * 8, [&](int from, int to) {
      // The levels of one row, weight and sum side by side, of all cells of a level after each other.
      std::vector<float> row(2 * static_cast<std::size_t>(count_) * static_cast<std::size_t>(wide_));
      for (int y = first + from; y < first + to; ++y) {
        gather(weights, sums, y - top, row);
        read(row, in_.row(y), out.row(y));
      }
    });
  }

 private:
  // The weights that a sample of level `at` gives to the picture's samples, and their sums, by cells of side_ x side_.
  void reduce(int top, float at, Image& weights, Image& sums) const {
    const std::size_t n = static_cast<std::size_t>(wide_) * static_cast<std::size_t>(side_);
    parallel_rows(weights.height(), 2 * n * static_cast<std::size_t>(side_), [&](int first, int last) {
      std::vector<float> w(n), v(n), wide(n);
      for (int y = first; y < last; ++y) {
        std::fill(w.begin(), w.end(), 0.0F);
        std::fill(v.begin(), v.end(), 0.0F);
        for (int i = 0; i < side_; ++i) {
          const int from = *border_index(top + y * side_ + i, in_.height(), Border::mirror);
          rows::extend(in_, from, -reach_, static_cast<int>(n), Border::mirror, 0, wide.data());
          lanes::add_level(wide.data(), at, falloff_, w.data(), v.data(), n);
        }
        float *to_w = weights.row(y), *to_v = sums.row(y);
        for (int x = 0; x < wide_; ++x) {
          float p = 0, q = 0;
          for (int i = x * side_; i < (x + 1) * side_; ++i) {
            p += w[static_cast<std::size_t>(i)];
            q += v[static_cast<std::size_t>(i)];
          }
          to_w[x] = p;
          to_v[x] = q;
        }
      }
    });
  }

  void gather(const std::vector<Image>& weights, const std::vector<Image>& sums, int y, std::vector<float>& row) const {
    const float place = (static_cast<float>(y) + 0.5F) / static_cast<float>(side_) - 0.5F;
    const int y0 = static_cast<int>(place), y1 = y0 + 1;
    const float t = place - static_cast<float>(y0);
    for (int s = 0; s < count_; ++s) {
      const auto i = static_cast<std::size_t>(s);
      const float *w0 = weights[i].row(y0), *w1 = weights[i].row(y1), *v0 = sums[i].row(y0), *v1 = sums[i].row(y1);
      float* to = row.data() + 2 * i * static_cast<std::size_t>(wide_);
      for (int x = 0; x < wide_; ++x) {
        to[2 * x] = w0[x] + t * (w1[x] - w0[x]);
        to[2 * x + 1] = v0[x] + t * (v1[x] - v0[x]);
      }
    }
  }

  // Every sample takes its value between the two nearest levels.
  void read(const std::vector<float>& row, const float* in, float* out) const {
    const auto stride = 2 * static_cast<std::size_t>(wide_);
    const float per_step = 1 / step_;
    for (int x = 0; x < in_.width(); ++x) {
      const float v = in[x];
      if (!std::isfinite(v)) {
        out[x] = v;
        continue;
      }
      const auto& [cell, t] = across_[static_cast<std::size_t>(x)];
      const float place = (v - low_) * per_step;
      const int s = std::clamp(static_cast<int>(place), 0, count_ - 2);
      const float* p = row.data() + static_cast<std::size_t>(s) * stride + cell;
      const auto level = [t = t](const float* at, float base) {
        const float w = at[0] + t * (at[2] - at[0]), sum = at[1] + t * (at[3] - at[1]);
        // Far from every sample of that level no weight is left: there the value is not used.
        return base + (w > 1e-20F ? sum / w : 0);
      };
      const float base = low_ + step_ * static_cast<float>(s), a = level(p, base), b = level(p + stride, base + step_);
      out[x] = a + (place - static_cast<float>(s)) * (b - a);
    }
  }

  ConstView in_;
  float falloff_, low_;
  int count_;
  float step_;
  int side_, reach_, wide_;
  float sigma_ = 1;
  struct Across {
    std::size_t cell;
    float share;
  };
  std::vector<Across> across_;  // for every column its cell, and how far it lies toward the next
};

// The picture as it would be if every sample had one level, for a row of levels, on cells of about half a sigma.
void fast(const ConstView& in, float sigma, float range, const View& out) {
  const auto [low, high] = finite_range(in, 0);
  if (!(low < high)) return copy(in, out);
  // One sample far off asks for more levels than memory and patience have.
  if (high - low > 500 * range) return exact(in, sigma, range, out);
  const Levels levels(in, sigma, range, low, high);
  const int strip = levels.strip(), strips = (in.height() + strip - 1) / strip;
  Progress progress(static_cast<double>(strips) * levels.count());
  for (int y = 0; y < in.height(); y += strip) levels.run(y, std::min(in.height(), y + strip), out, progress);
}

}  // namespace

Image Bilateral::operator()(const ConstView& in) const { return made(*this, in); }
void Bilateral::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const float r = range_of(*this, in);
  if (!range) note(fmt::format("range {:.4f}, from the noise level", r));
  const bool slow = way == BilateralWay::exact || (way == BilateralWay::best && sigma <= 4);
  for (int c = 0; c < in.shape.color_channels(); ++c) slow ? exact(in.channel(c), sigma, r, out.channel(c)) : fast(in.channel(c), sigma, r, out.channel(c));
  copy_alpha(in, out);
}
Image Bilateral::plain(const ConstView& in) const { return reference::bilateral(in, sigma, radius_of(sigma), range_of(*this, in)); }
std::string Bilateral::meaning() const { return fmt::format("window {0}x{0}", 2 * radius_of(sigma) + 1); }
void Bilateral::describe(Description<Bilateral>& d) {
  d.called("bilateral", "denoise", "The mean of neighbors that are near in place and in level: smooths within edges.");
  d.wrong("there are impulses: each is unlike its neighbors and stays; take median. Smooth slopes must not turn into steps: take guided.");
  d.agrees_within(2e-4);
  d.field("sigma", &Bilateral::sigma, "pixels", "of the Gaussian of the distance", {0.5, 100});
  d.field("range", &Bilateral::range, "0..1 scale", "of the Gaussian of the difference in level", {0.005, 10});
  d.field("way", &Bilateral::way, "", "exact is slow for large sigmas, fast deviates by up to 0.01");
}

}  // namespace sieve
