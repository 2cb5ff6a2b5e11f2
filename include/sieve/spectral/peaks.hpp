#pragma once
/// Periodic interference: its peaks in the spectrum.

#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// A wave that stands out of its surroundings in the spectrum.
struct PeriodicWave {
  double fx = 0, fy = 0;  ///< cycles per pixel, to a small part of the spectrum's grid; fy > 0, or fy = 0 and fx > 0
  double period = 0;      ///< pixels
  double angle = 0;       ///< degrees across the stripes: 0 upright stripes, 90 lying ones
  double amplitude = 0;   ///< 0..1 scale
  double excess = 0;      ///< its magnitude over the median of its surroundings
};

/// The waves of a picture's luma that are interference, by all signs: after slow changes are taken off and a Hann
/// window is laid over it, the spectrum has there a sharp peak, at least 8 times the median around it and stronger than
/// what noise brings forth once in a thousand pictures. Strongest first, at most `most`. Waves of a period above 32
/// pixels, or above an eighth of the smaller side, count as content, and so do waves that are not about alike all over
/// the picture: ruled lines, a fence. What fills the whole picture looks like interference even where it is content.
/// Pictures with a side below 16 have none. O(pixels log pixels).
[[nodiscard]] std::vector<PeriodicWave> find_periodic_noise(const ConstView& in, int most = 16);

}  // namespace sieve
