#pragma once
// The power of a blurred picture over rings of frequencies, and the line that the power of pictures lies on.

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <vector>

#include "restore/deconvolution.hpp"

namespace sieve::internal {

// Means over rings of equal width from frequency 0, which itself is in none, to the corner.
template <std::size_t kRings>
class PowerRings {
 public:
  explicit PowerRings(const Measured& m) {
    const Frame& f = m.grid.frame;
    for (int u = 0; u < m.grid.columns; ++u) across_.push_back(std::pow(static_cast<double>(u) / f.width, 2));
    for (int v = 0; v < m.grid.rows; ++v) down_.push_back(std::pow(frequency_down(v, f), 2));
    const auto sums = m.sum<3 * kRings>([&](int u, int v, double times, double h2, double g2, auto& sum) {
      if (u == 0 && v == 0) return;
      const std::size_t i = 3 * ring(u, v);
      sum[i] += times * g2;
      sum[i + 1] += times * h2;
      sum[i + 2] += times;
    });
    for (std::size_t i = 0; i < kRings; ++i) {
      const double n = sums[3 * i + 2];
      means_.push_back(n > 0 ? Mean{sums[3 * i] / n, sums[3 * i + 1] / n, n} : Mean{});
    }
  }

  // Squared frequencies go through a table, so that there is one root for each.
  std::size_t ring(int u, int v) const {
    const double squared = across_[static_cast<std::size_t>(u)] + down_[static_cast<std::size_t>(v)];
    return std::min(kRings - 1, static_cast<std::size_t>(std::sqrt(squared) / 0.7072 * kRings));
  }

  // |G|^2 and |H|^2, and the number of frequencies of the whole frame; all 0 for a ring without any.
  struct Mean {
    double power = 0, passed = 0, count = 0;
    // The power of the picture before the blur, where white noise has that power.
    double before(double noise) const { return std::max(0.0, power - noise) / std::max(1e-12, passed); }
  };
  const Mean& operator[](std::size_t i) const { return means_[i]; }

 private:
  std::vector<double> across_, down_;
  std::vector<Mean> means_;
};

// Pictures lose power as a power of the frequency (Field, J. Optical Society of America A 4, 1987): the line of least
// squares of the logarithm of the one over that of the other, through the rings that were added.
class PowerLine {
 public:
  // The steepest slope that a line may have; the one of pictures at large, for fewer than three rings.
  PowerLine(double steepest, double usual) : steepest_(steepest), usual_(usual) {}
  void add(std::size_t ring, double power) {
    const double x = place(ring), y = std::log(power);
    n_ += 1, sx_ += x, sy_ += y, sxx_ += x * x, sxy_ += x * y;
  }
  bool empty() const { return n_ == 0; }
  // What a picture is likely to have in that ring. Not of an empty line.
  double at(std::size_t ring) const {
    const double det = n_ * sxx_ - sx_ * sx_,
                 slope = n_ >= 3 && det > 0 ? std::clamp((n_ * sxy_ - sx_ * sy_) / det, steepest_, -1.0) : usual_;
    return std::exp(sy_ / n_ + slope * (place(ring) - sx_ / n_));
  }

 private:
  static double place(std::size_t ring) { return std::log(static_cast<double>(ring) + 0.5); }
  double steepest_, usual_, n_ = 0, sx_ = 0, sy_ = 0, sxx_ = 0, sxy_ = 0;
};

}  // namespace sieve::internal
