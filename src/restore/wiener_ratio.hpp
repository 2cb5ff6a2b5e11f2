#pragma once
// The ratio of the Wiener filter as the picture itself tells it.

#include <array>

#include "restore/power_rings.hpp"

namespace sieve::internal {

// The power of the noise over that of the picture before the blur, at every frequency, for white noise of that
// deviation in the picture: struct Wiener says how.
class WienerRatio {
 public:
  WienerRatio(const Measured& measured, double deviation);
  double operator()(int u, int v) const { return ratio_[rings_.ring(u, v)]; }

 private:
  static constexpr std::size_t kRings = 96;
  void bound_texture();
  void find_ratios();

  PowerRings<kRings> rings_;
  double noise_;                                   // its power, as it was told
  double floor_ = 0;                               // the same, as it shows where there is nothing else
  std::array<double, kRings> signal_{}, ratio_{};  // of the picture before the blur
};

}  // namespace sieve::internal
