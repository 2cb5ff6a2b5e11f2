#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "core/at_share.hpp"
#include "diagnose/signs.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/illumination/background.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve::internal::signs {

Light light(const ConstView& luma) {
  Light found;
  // The lighter part of blocks of a few dozen pixels: paper or wall, not what stands on it.
  constexpr int kBlocks = 24;
  constexpr double kLighter = 0.8, kDarker = 0.05, kContrast = 0.2;
  const int step = std::max(4, std::min(luma.width(), luma.height()) / kBlocks), w = luma.width() / step,
            h = luma.height() / step;
  if (w < 4 || h < 4) return found;
  Image blocks(w, h);
  std::vector<float> levels;
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      levels.clear();
      for (int j = 0; j < step; ++j) {
        const float* row = luma.row(y * step + j, 0) + x * step;
        levels.insert(levels.end(), row, row + step);
      }
      const double lighter = static_cast<double>(at_share(levels, kLighter));
      blocks.at(x, y) = static_cast<float>(lighter);
      if (lighter - static_cast<double>(at_share(levels, kDarker)) > kContrast * lighter)
        found.printed += 1.0 / (w * h);
    }
  }
  const Image surface = Background{.by = BackgroundBy::polynomial}(blocks);
  const ChannelStatistics all = statistics(blocks)[0], smooth = statistics(surface)[0];
  if (!(all.deviation > 0) || !(smooth.mean > 0)) return found;
  double rest = 0;
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      const double d = static_cast<double>(blocks.at(x, y)) - static_cast<double>(surface.at(x, y));
      rest += d * d / w / h;
    }
  }
  found.range = (smooth.maximum - smooth.minimum) / smooth.mean;
  found.share = std::max(0.0, 1 - rest / (all.deviation * all.deviation));
  found.rest = std::sqrt(rest) / smooth.mean;
  return found;
}

double tint(const ConstView& colors) {
  if (colors.shape.color_channels() < 3) return 0;
  double bright[3] = {}, edges[3] = {};
  parallel_rows(
      3, RowCost(colors.shape.pixels(), 4),
      [&](int first, int last) {
        for (int c = first; c < last; ++c) {
          constexpr double kBright = 0.98;
          bright[c] = percentile(colors.channel(c), kBright);
          for (int y = 0; y < colors.height(); ++y) {
            const float* row = colors.row(y, c);
            for (int x = 0; x + 1 < colors.width(); ++x) {
              const auto d = static_cast<double>(std::fabs(row[x + 1] - row[x]));
              if (std::isfinite(d)) edges[c] += d;
            }
          }
        }
      },
      1);
  for (int c = 0; c < 3; ++c) {
    if (!(bright[c] > 0) || !(edges[c] > 0)) return 0;
  }
  // Of red and blue against green.
  const double a[] = {std::log(bright[0] / bright[1]), std::log(bright[2] / bright[1])},
               b[] = {std::log(edges[0] / edges[1]), std::log(edges[2] / edges[1])};
  const double size_a = std::hypot(a[0], a[1]), size_b = std::hypot(b[0], b[1]);
  constexpr double kAgree = 0.8;  // cosine
  return a[0] * b[0] + a[1] * b[1] > kAgree * size_a * size_b ? std::min(size_a, size_b) : 0;
}

}  // namespace sieve::internal::signs
