#pragma once
// What a blurred plane tells of the picture behind it, as SignalModel of the restorations reckons it.

#include <algorithm>
#include <cmath>
#include <vector>

#include "reference/frame.hpp"

namespace sieve::internal {

// The deviation of what was rounded off samples: to a file's levels where all are on them, or to the 24 bits of a
// float.
inline double plain_rounding(const ConstView& in, std::uint32_t white_level) {
  double most = 1e-37, beside = white_level > 0 ? 0 : 1;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double v = in.at(x, y, c);
        if (!std::isfinite(v)) continue;
        most = std::max(most, std::abs(v));
        beside = std::max(beside, std::abs(v * white_level - std::round(v * white_level)));
      }
    }
  }
  return (beside < 0.01 ? 1.0 / white_level : std::exp2(std::floor(std::log2(most)) - 23)) / std::sqrt(12.0);
}

// A plane behind a PSF and noise: its power S by rings, where that can be told by a line through the others.
struct PlainSignal {
  PlainSignal(const Frame& f, double noise)
      : frame(f), h(f.transfer()), g(f.spectrum()), floor(noise * noise * f.pixels()) {
    std::vector<double> power(kRings), passed(kRings), count(kRings), xs, ys;
    std::vector<bool> seen(kRings);
    each([&](std::size_t i, int, int, std::size_t k) {
      power[i] += std::norm(g[k]), passed[i] += std::norm(h[k]), count[i] += 1;
    });
    signal.resize(kRings);
    const auto place = [](std::size_t i) { return std::log(static_cast<double>(i) + 0.5); };
    for (std::size_t i = 0; i < kRings; ++i) {
      if (count[i] == 0) continue;
      signal[i] = std::max(0.0, power[i] / count[i] - floor) / std::max(1e-12, passed[i] / count[i]);
      seen[i] = passed[i] / count[i] >= 0.1 && power[i] / count[i] >= 2 * floor && signal[i] > 0;
      if (seen[i] && i > 0) xs.push_back(place(i)), ys.push_back(std::log(signal[i]));
    }
    if (xs.empty()) return;
    // The line of least squares through the points.
    const auto n = static_cast<double>(xs.size());
    double mx = 0, my = 0, xx = 0, xy = 0;
    for (std::size_t i = 0; i < xs.size(); ++i) mx += xs[i] / n, my += ys[i] / n;
    for (std::size_t i = 0; i < xs.size(); ++i) xx += (xs[i] - mx) * (xs[i] - mx), xy += (xs[i] - mx) * (ys[i] - my);
    const double slope = xs.size() >= 3 && xx > 0 ? std::clamp(xy / xx, -6.0, -1.0) : -2.5;
    for (std::size_t i = 0; i < kRings; ++i) {
      if (!seen[i]) signal[i] = std::exp(my + slope * (place(i) - mx));
    }
  }

  // work(ring, u, v, place) for every frequency but 0.
  template <class Work>
  void each(Work work) const {
    for (int v = 0; v < frame.height(); ++v) {
      for (int u = 0; u < frame.width(); ++u) {
        // Not by hypot: on the edge of a ring its rounding is another.
        const double across = frame.frequency_across(u), down = frame.frequency_down(v),
                     far = std::sqrt(across * across + down * down) / 0.7072;
        if (u != 0 || v != 0)
          work(std::min(kRings - 1, static_cast<std::size_t>(far * kRings)), u, v, frame.place(u, v));
      }
    }
  }

  // The mean of S N / (|H|^2 S + N).
  double squared_error() const {
    double sum = 0;
    each([&](std::size_t i, int, int, std::size_t k) {
      if (signal[i] > 0) sum += signal[i] * floor / (std::norm(h[k]) * signal[i] + floor);
    });
    return sum / frame.pixels() / frame.pixels();
  }

  // The change of H with the size of the PSF: H of a frequency 4 % higher, bilinear between those of the frame. By
  // half planes, as the other half is its conjugate.
  Complex stretch(int u, int v) const {
    const int w = frame.width(), rows = frame.height(), half = w / 2;
    if (u > half) return std::conj(stretch(w - u, (rows - v) % rows));
    const double x = std::min(1.04 * u, static_cast<double>(half)),
                 y = std::clamp(1.04 * (2 * v > rows ? v - rows : v), -0.5 * rows, 0.5 * rows);
    const int x0 = std::min(static_cast<int>(x), half - 1), y0 = static_cast<int>(std::floor(y));
    const auto at = [&](int i, int j) { return h[frame.place(i, (j + rows) % rows)]; };
    const double a = x - x0, b = y - y0;
    return ((1 - b) * ((1 - a) * at(x0, y0) + a * at(x0 + 1, y0)) +
            b * ((1 - a) * at(x0, y0 + 1) + a * at(x0 + 1, y0 + 1)) - h[frame.place(u, v)]) /
           0.04;
  }

  // By which share the size of the PSF seems to be wrong.
  double psf_error() const {
    std::vector<double> shares;
    each([&](std::size_t i, int u, int v, std::size_t k) {
      if (u < 2 || 2 * u > frame.width() || v < 2 || v + 1 >= frame.height()) return;
      const double by_size = std::norm(stretch(u, v)) * signal[i];
      if (std::norm(h[k]) * signal[i] <= floor && 0.01 * by_size > floor)
        shares.push_back((std::norm(g[k]) - floor) / by_size);
    });
    if (shares.size() < 30) return 0;
    std::sort(shares.begin(), shares.end());
    return std::min(0.15, std::sqrt(std::max(0.0, shares[shares.size() / 2] / 0.693)));
  }

  static constexpr std::size_t kRings = 64;
  const Frame& frame;
  Plane h, g;
  double floor;
  std::vector<double> signal;
};

}  // namespace sieve::internal
