#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/watch.hpp"
#include "sieve/reference/spatial.hpp"

namespace sieve::reference {

namespace {

double or_largest(double v) { return std::isnan(v) ? INFINITY : v; }

// value(samples of the window, in its order) at every pixel.
template <class Value>
Image windows(const ConstView& in, const std::vector<WindowOffset>& window, Border border, double fill, Value value) {
  Image out(in);
  std::vector<double> samples(window.size());
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      checkpoint();
      for (int x = 0; x < in.width(); ++x) {
        for (std::size_t i = 0; i < window.size(); ++i)
          samples[i] = or_largest(sample(in, x + window[i].dx, y + window[i].dy, c, border, fill));
        out.at(x, y, c) = static_cast<float>(value(samples, or_largest(in.at(x, y, c))));
      }
    }
  }
  return out;
}

std::vector<WindowOffset> square(int radius) {
  std::vector<WindowOffset> all;
  for (int dy = -radius; dy <= radius; ++dy) {
    for (int dx = -radius; dx <= radius; ++dx) all.push_back({dx, dy});
  }
  return all;
}

}  // namespace

Image ranked(const ConstView& in, const std::vector<WindowOffset>& window, Border border, double fill,
             const std::function<double(const std::vector<double>&)>& value) {
  return windows(in, window, border, fill, [&](std::vector<double> samples, double) {
    std::sort(samples.begin(), samples.end());
    return value(samples);
  });
}

Image weighted_median(const ConstView& in, const std::vector<WindowOffset>& window, const std::vector<double>& weights,
                      Border border, double fill) {
  double all = 0;
  for (const double w : weights) all += w;
  return windows(in, window, border, fill, [&](const std::vector<double>& samples, double) {
    // The smallest of the samples below which, with itself, half of the weight lies.
    double best = INFINITY;
    for (const double candidate : samples) {
      double below = 0;
      for (std::size_t i = 0; i < samples.size(); ++i) below += samples[i] <= candidate ? weights[i] : 0;
      if (below >= all / 2) best = std::min(best, candidate);
    }
    return best;
  });
}

Image adaptive_median(const ConstView& in, int radius, double least, Border border, double fill) {
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double v = or_largest(in.at(x, y, c));
        const auto sorted = [&](int r) {
          std::vector<double> all;
          for (const WindowOffset& o : square(r))
            all.push_back(or_largest(sample(in, x + o.dx, y + o.dy, c, border, fill)));
          std::sort(all.begin(), all.end());
          return all;
        };
        const std::vector<double> largest = sorted(radius);
        const double low = largest.front(), high = largest.back();
        double median = v;
        for (int r = 1; r <= radius; ++r) {
          const std::vector<double> all = sorted(r);
          median = all[all.size() / 2];
          if (all.front() < median && median < all.back()) break;
        }
        double result = in.at(x, y, c);
        if (!(low < v && v < high) && low != high &&
            !(std::abs(v - median) <= static_cast<double>(static_cast<float>(least)))) {
          result = median;
          for (int r = radius; r >= 1; --r) {
            std::vector<double> between = sorted(r);
            std::erase_if(between, [&](double s) { return !(low < s && s < high); });
            if (!between.empty()) result = (between[(between.size() - 1) / 2] + between[between.size() / 2]) / 2;
          }
        }
        out.at(x, y, c) = static_cast<float>(result);
      }
    }
  }
  return out;
}

}  // namespace sieve::reference
