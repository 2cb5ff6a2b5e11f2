#include "sieve/quality/estimate.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <optional>
#include <span>
#include <utility>
#include <vector>

#include "core/luma.hpp"
#include "quality/flattest.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/gradient.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"
#include "spatial/stacked_gaussian.hpp"

namespace sieve {

using namespace internal;

namespace {

// The median, of an even number the lower middle one; in another order after that.
float median(std::span<float> values) {
  const auto middle = values.begin() + static_cast<std::ptrdiff_t>((values.size() - 1) / 2);
  std::nth_element(values.begin(), middle, values.end());
  return *middle;
}

// A picture in tiles of 16 by 16 and a little more.
struct Tiling {
  static constexpr int kSide = 16;
  explicit Tiling(const Shape& s)
      : width(s.width), height(s.height), across(std::max(1, width / kSide)), down(std::max(1, height / kSide)) {}
  Rectangle tile(int i) const {
    const int x = i % across, y = i / across, left = at(x, width, across), top = at(y, height, down);
    return {left, top, at(x + 1, width, across) - left, at(y + 1, height, down) - top};
  }
  static int at(int i, int whole, int parts) { return static_cast<int>(static_cast<long long>(whole) * i / parts); }
  int width, height, across, down;
};

struct TileOfNoise {
  std::vector<float> sizes;  // of the finite responses
  float middle = 0;          // of those that no sample of another tile is part of
  float level = 0;
  bool clipped = false;
};

// The median of the responses where the picture is flattest; nothing where none is finite.
std::optional<float> middle_response(const ConstView& plane, const Image& response) {
  constexpr double kClipped = 0.02;
  constexpr std::size_t kLeast = 32;
  constexpr int kRim = 2;
  const Tiling tiling(plane.shape);
  std::vector<TileOfNoise> tiles(static_cast<std::size_t>(tiling.across) * static_cast<std::size_t>(tiling.down));
  parallel_rows(static_cast<int>(tiles.size()), RowCost(256, 16), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const Rectangle r = tiling.tile(i);
      TileOfNoise& t = tiles[static_cast<std::size_t>(i)];
      int ends = 0;
      std::vector<float> inside;
      const auto inner = [](int at, int from, int size) { return at >= from + kRim && at < from + size - kRim; };
      for (int y = r.y; y < r.y + r.height; ++y) {
        for (int x = r.x; x < r.x + r.width; ++x) {
          const float v = plane.row(y)[x], size = std::fabs(response.at(x, y));
          ends += v == 0 || v == 1;
          if (!std::isfinite(size)) continue;
          t.sizes.push_back(size);
          if (inner(x, r.x, r.width) && inner(y, r.y, r.height)) inside.push_back(size);
        }
      }
      if (!inside.empty()) t.middle = median(inside);
      double sum = 0;
      for (int y = r.y; y < r.y + r.height; ++y) {
        for (int x = r.x; x < r.x + r.width; ++x) sum += static_cast<double>(plane.row(y)[x]);
      }
      t.level = static_cast<float>(sum / (static_cast<double>(r.width) * r.height));
      if (!std::isfinite(t.level)) t.level = 0;
      t.clipped = ends > kClipped * r.width * r.height;
    }
  });
  std::vector<Spot> open;
  std::vector<std::size_t> all;
  for (std::size_t i = 0; i < tiles.size(); ++i) {
    if (tiles[i].sizes.empty()) continue;
    all.push_back(i);
    if (tiles[i].clipped) continue;
    const int x = static_cast<int>(i) % tiling.across, y = static_cast<int>(i) / tiling.across;
    Spot spot{tiles[i].level, 0, i};
    const auto look = [&](int u, int v) {
      if (u >= 0 && u < tiling.across && v >= 0 && v < tiling.down)
        spot.beside = std::max(spot.beside, tiles[static_cast<std::size_t>(v * tiling.across + u)].middle);
    };
    look(x - 1, y);
    look(x + 1, y);
    look(x, y - 1);
    look(x, y + 1);
    open.push_back(spot);
  }
  // Of few that are not clipped by chance the noise is small by chance.
  if (4 * open.size() > all.size()) all = flattest(std::move(open), kLeast);
  std::vector<float> sizes;
  for (const std::size_t i : all) sizes.insert(sizes.end(), tiles[i].sizes.begin(), tiles[i].sizes.end());
  if (sizes.empty()) return {};
  return median(sizes);
}

}  // namespace

double noise_level(const ConstView& in) {
  require_input(in, "noise_level");
  const Kernel mask = Kernel::parse("1,-2,1/-2,4,-2/1,-2,1");
  double sum = 0;
  const int color = in.shape.color_channels();
  for (int c = 0; c < color; ++c) {
    const std::optional<float> middle = middle_response(in.channel(c), Correlate{.kernel = mask}(in.channel(c)));
    if (!middle) {
      throw InvalidArgument(
          "noise_level: no sample has eight finite neighbors, so nothing can be measured: mend or crop the picture, or "
          "give the noise");
    }
    sum += static_cast<double>(*middle) / (0.6745 * 6);
  }
  return sum / color;
}

double edge_blur(const ConstView& in) {
  require_input(in, "edge_blur");
  const bool grain = noise_level(in) >= 0.008;
  const Image gray = grain ? Gaussian{.sigma = 1}(luma_of(in)) : luma_of(in);
  const Image once = GradientMagnitude{}(gray), again = GradientMagnitude{}(Gaussian{.sigma = 1}(gray));
  struct Edge {
    float size, ratio;
  };
  std::vector<Edge> edges;
  for (int y = 2; y + 2 < gray.height(); ++y) {
    checkpoint();
    for (int x = 2; x + 2 < gray.width(); ++x) {
      const float g = once.at(x, y), h = again.at(x, y);
      // On the ridge of the gradient only: beside it the ratio tells nothing.
      const bool ridge =
          (g >= once.at(x - 1, y) && g >= once.at(x + 1, y)) || (g >= once.at(x, y - 1) && g >= once.at(x, y + 1));
      if (ridge && g > 0.05F && h > 0) edges.push_back({g, g / h});
    }
  }
  if (edges.size() < 32) return 0;
  const auto strongest = static_cast<std::ptrdiff_t>(std::max<std::size_t>(32, edges.size() / 10));
  std::nth_element(edges.begin(), edges.begin() + strongest - 1, edges.end(),
                   [](const Edge& p, const Edge& q) { return p.size > q.size; });
  std::vector<float> ratios;
  for (auto e = edges.begin(); e != edges.begin() + strongest; ++e) ratios.push_back(e->ratio);
  std::nth_element(ratios.begin(), ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2), ratios.end());
  const double r = static_cast<double>(ratios[ratios.size() / 2]);
  const double sigma = r > 1.0005 ? 1 / std::sqrt(r * r - 1) : 30;
  return grain ? std::sqrt(std::max(0.0, sigma * sigma - 1)) : sigma;
}

ImpulseShare impulse_share(const ConstView& in) {
  require_input(in, "impulse_share");
  // -1 for a dark impulse, 1 for a bright one.
  const Image marks = map_windows(in, 1, Border::mirror, [](const Window& w) {
    std::array<float, 8> around{};
    std::size_t n = 0;
    for (int dy = -1; dy <= 1; ++dy) {
      for (int dx = -1; dx <= 1; ++dx) {
        if (dx != 0 || dy != 0) around[n++] = w(dx, dy);
      }
    }
    // Most samples are neither the lowest nor the highest: those need no order.
    const float v = w(0, 0);
    const auto [least, most] = std::minmax_element(around.begin(), around.end());
    if (v > *least && v < *most) return 0.0F;
    std::sort(around.begin(), around.end());
    const float median = 0.5F * (around[3] + around[4]), spread = around[6] - around[1];
    const float far = std::max(0.1F, 3 * spread);
    if (v <= around[0] && median - v > far) return -1.0F;
    if (v >= around[7] && v - median > far) return 1.0F;
    return 0.0F;
  });
  ImpulseShare s;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        s.dark += marks.at(x, y, c) < 0;
        s.bright += marks.at(x, y, c) > 0;
      }
    }
  }
  const double n = static_cast<double>(in.shape.pixels()) * in.shape.color_channels();
  return {s.dark / n, s.bright / n};
}

double sharpness(const ConstView& in) {
  const Image response = Correlate{.kernel = Kernel::parse("laplacian")}(to_gray(in));
  const ChannelStatistics s = statistics(response)[0];
  return s.deviation * s.deviation;
}

std::vector<HistogramPeak> histogram_peaks(const Histogram& h) {
  const int n = static_cast<int>(h.counts.size());
  if (n == 0) return {};
  const double sigma = std::max(0.5, n / 100.0);
  const int radius = static_cast<int>(std::ceil(4 * sigma));
  const auto weights = gaussian_weights(sigma, 0, radius);
  std::vector<double> smooth(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i) {
    for (int j = std::max(0, i - radius); j <= std::min(n - 1, i + radius); ++j) {
      smooth[static_cast<std::size_t>(i)] += weights[static_cast<std::size_t>(j - i + radius)] *
                                             static_cast<double>(h.counts[static_cast<std::size_t>(j)]);
    }
  }
  const double highest = *std::max_element(smooth.begin(), smooth.end());
  if (highest == 0) return {};
  // Walk over hills: a peak counts once the curve has fallen from it, and had risen to it, by the least prominence.
  std::vector<HistogramPeak> peaks;
  const double least = highest / 20;
  double valley = 0, top = 0;
  int at = -1;
  bool rising = true;
  const auto keep = [&] { peaks.push_back({h.low + (at + 0.5) * (h.high - h.low) / n, top}); };
  for (int i = 0; i < n; ++i) {
    const double v = smooth[static_cast<std::size_t>(i)];
    if (rising) {
      if (v > top) {
        top = v;
        at = i;
      }
      if (at >= 0 && top - v >= least && top - valley >= least) {
        keep();
        rising = false;
        valley = v;
      }
    } else {
      valley = std::min(valley, v);
      if (v - valley >= least) {
        rising = true;
        top = v;
        at = i;
      }
    }
  }
  if (rising && at >= 0 && top - valley >= least) keep();
  return peaks;
}

}  // namespace sieve
