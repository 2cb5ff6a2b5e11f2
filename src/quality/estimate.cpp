#include "sieve/quality/estimate.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "sieve/core/channels.hpp"
#include "sieve/core/map.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/tone/statistics.hpp"
#include "spatial/stacked_gaussian.hpp"

namespace sieve {

double noise_level(const ConstView& in) {
  require_input(in, "noise_level");
  const Kernel mask = Kernel::parse("1,-2,1/-2,4,-2/1,-2,1");
  double sum = 0;
  const int color = in.shape.color_channels();
  for (int c = 0; c < color; ++c) {
    const Image response = map_samples(Correlate{.kernel = mask}(in.channel(c)), [](float v) { return std::fabs(v); });
    sum += percentile(response, 0.5) / (0.6745 * 6);
  }
  return sum / color;
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

std::vector<Peak> histogram_peaks(const Histogram& h) {
  const int n = static_cast<int>(h.counts.size());
  if (n == 0) return {};
  const double sigma = std::max(0.5, n / 100.0);
  const int radius = static_cast<int>(std::ceil(4 * sigma));
  const std::vector<float> weights = gaussian_weights(sigma, 0, radius);
  std::vector<double> smooth(static_cast<std::size_t>(n));
  for (int i = 0; i < n; ++i) {
    for (int j = std::max(0, i - radius); j <= std::min(n - 1, i + radius); ++j) {
      smooth[static_cast<std::size_t>(i)] += weights[static_cast<std::size_t>(j - i + radius)] * static_cast<double>(h.counts[static_cast<std::size_t>(j)]);
    }
  }
  const double highest = *std::max_element(smooth.begin(), smooth.end());
  if (highest == 0) return {};
  // Walk over hills: a peak counts once the curve has fallen from it, and had risen to it, by the least prominence.
  std::vector<Peak> peaks;
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
