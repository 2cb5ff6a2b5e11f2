#pragma once
// The cepstrum of a picture, against which a motion shows as a dark spot and a disk as a dark ring.

#include <cmath>
#include <cstddef>
#include <utility>
#include <vector>

#include "sieve/core/image.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve::internal {

// Of the mean log power spectrum over overlapping windows of up to 256x256. Each place is compared with the others at
// the same distance: the picture has a cepstrum of its own, which depends on the distance.
class Cepstrum {
 public:
  // A plane of 64x64 pixels at least.
  explicit Cepstrum(const ConstView& gray);

  // How far from the middle places are told, in pixels.
  int reach() const { return reach_; }
  // How far below those of its distance a place is, in their deviations.
  double depth(int x, int y) const {
    const auto& [middle, spread] = normal_[static_cast<std::size_t>(std::lround(std::hypot(x, y)))];
    return spread > 0 ? (middle - values_.at(x, y).real()) / spread : 0;
  }

 private:
  int reach_ = 0;
  DoubleSpectrum values_;
  std::vector<std::pair<double, double>> normal_;  // by distance
};

// Median, and deviation from the median absolute distance to it.
std::pair<double, double> middle_and_spread(const std::vector<double>& v);

}  // namespace sieve::internal
