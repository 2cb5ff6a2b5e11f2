#pragma once
#include <algorithm>
#include <array>
#include <cmath>

#include "sieve/core/channels.hpp"
#include "sieve/core/map.hpp"

namespace sieve::internal {

// What each of three channels counts in the gray of a picture, for a way that weighs them.
struct GrayWeights {
  float red, green, blue;
};
inline GrayWeights gray_weights(GrayBy by) {
  const LumaWeights w = by == GrayBy::average ? LumaWeights{1.0 / 3, 1.0 / 3, 1.0 / 3} : luma_weights(by);
  return {static_cast<float>(w.red), static_cast<float>(w.green), static_cast<float>(w.blue)};
}
inline void weigh_colors(const std::array<const float*, 3>& in, const GrayWeights& w, float* out, std::size_t n) {
  each_sample(out, n, [&](std::size_t x) { return w.red * in[0][x] + w.green * in[1][x] + w.blue * in[2][x]; });
}

// The gray channel, or the luma of a color picture, as a picture of its own.
inline Image luma_of(const ConstView& in) {
  return in.shape.color_channels() == 1 ? Image(in.channel(0)) : Image(to_gray(in).view().channel(0));
}

// The same with 0 for what is not finite.
inline Image finite_luma(const ConstView& in) {
  return map_samples(luma_of(in), [](float v) { return std::isfinite(v) ? v : 0; });
}

// The same of the middle of a picture, at most `most` pixels to a side.
inline Image finite_middle(const ConstView& in, int most) {
  const int w = std::min(most, in.width()), h = std::min(most, in.height());
  return finite_luma(in.part({(in.width() - w) / 2, (in.height() - h) / 2, w, h}));
}

}  // namespace sieve::internal
