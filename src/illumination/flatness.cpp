#include "sieve/illumination/flatness.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <limits>

#include "illumination/tell_flatness.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

double flatness(const ConstView& in) {
  require_input(in, "flatness");
  const int radius = std::clamp(std::min(in.width(), in.height()) / 32, 1, 2047);
  const ChannelStatistics s =
      statistics(Box{.radius = radius, .border = Border::mirror}(to_gray(in).view().channel(0)))[0];
  return s.mean != 0 && s.not_finite < in.shape.pixels() ? s.deviation / s.mean
                                                         : std::numeric_limits<double>::quiet_NaN();
}

void internal::tell_flatness(const ConstView& before, const ConstView& after) {
  if (notes_heard()) note(fmt::format("flatness {:.3f} before, {:.3f} after", flatness(before), flatness(after)));
}

}  // namespace sieve
