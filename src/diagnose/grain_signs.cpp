#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "core/at_share.hpp"
#include "denoise/block_noise.hpp"
#include "diagnose/signs.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/smooth.hpp"

namespace sieve::internal::signs {

std::vector<GrainAtLevel> grain_by_level(const ConstView& channel) {
  constexpr int kClasses = 12, kLevels = 1024;
  const Image level = Box{.radius = 3}(channel),
              answer = Correlate{.kernel = Kernel::parse("1,-2,1/-2,4,-2/1,-2,1")}(channel);
  // Of a large picture every so manieth row will do.
  constexpr std::size_t kEnough = 1 << 18;
  const int step = 1 + static_cast<int>(channel.shape.pixels() / kEnough / 2);
  // By level, in fine steps, which are then put together to classes of about as many samples.
  std::vector<std::vector<float>> answers(kLevels);
  std::size_t all = 0;
  for (int y = 1; y + 1 < channel.height(); y += step) {
    for (int x = 1; x + 1 < channel.width(); ++x) {
      const float v = level.at(x, y), r = std::fabs(answer.at(x, y));
      // Where the picture is cut off there is no grain to measure.
      if (!std::isfinite(r) || !(v > 0.02F && v < 0.98F)) continue;
      answers[static_cast<std::size_t>(v * kLevels)].push_back(r);
      ++all;
    }
  }
  std::vector<GrainAtLevel> points;
  if (all < 64 * kClasses) return points;
  std::vector<float> of_class;
  double levels = 0;
  for (std::size_t k = 0; k < kLevels; ++k) {
    of_class.insert(of_class.end(), answers[k].begin(), answers[k].end());
    levels += (static_cast<double>(k) + 0.5) / kLevels * static_cast<double>(answers[k].size());
    if (of_class.size() < all / kClasses) continue;
    const double mean = levels / static_cast<double>(of_class.size());
    // The calmer part of a class: texture only adds.
    const double deviation = static_cast<double>(at_share(of_class, 0.25)) / (0.31864 * 6);
    points.push_back({mean, deviation * deviation});
    of_class.clear();
    levels = 0;
  }
  return points;
}

GrainLine grain_line(const std::vector<GrainAtLevel>& points) {
  GrainLine line;
  std::vector<double> slopes, offsets;
  for (std::size_t i = 0; i < points.size(); ++i) {
    for (std::size_t j = i + 1; j < points.size(); ++j) {
      if (points[j].level - points[i].level > 0.02)
        slopes.push_back((points[j].variance - points[i].variance) / (points[j].level - points[i].level));
    }
  }
  if (slopes.size() < 8) return line;
  line.b = at_share(slopes, 0.5);
  for (const GrainAtLevel& p : points) offsets.push_back(p.variance - line.b * p.level);
  line.a = std::max(0.0, at_share(offsets, 0.5));
  line.low = points.front().level;
  line.high = points.back().level;
  line.found = true;
  return line;
}

double coarse_grain(const ConstView& luma) {
  const BlockNoise flat = BlockNoise::in_flat_parts(Image(luma), luma);
  return flat.white() ? 0 : flat.deviation();
}

}  // namespace sieve::internal::signs
