#pragma once
#include <cmath>

#include "sieve/core/channels.hpp"
#include "sieve/core/map.hpp"

namespace sieve::internal {

// The gray channel, or the luma of a color picture, as a picture of its own.
inline Image luma_of(const ConstView& in) {
  return in.shape.color_channels() == 1 ? Image(in.channel(0)) : Image(to_gray(in).view().channel(0));
}

// The same with 0 for what is not finite.
inline Image finite_luma(const ConstView& in) {
  return map_samples(luma_of(in), [](float v) { return std::isfinite(v) ? v : 0; });
}

}  // namespace sieve::internal
