#include "tone/range.hpp"

#include <algorithm>
#include <vector>

#include "sieve/tone/histogram.hpp"
#include "tone/level_lanes.hpp"
#include "tone/point_lanes.hpp"

namespace sieve {

using namespace internal;

// Each row's by itself, then those of all rows.
Ends internal::finite_range(const ConstView& in, int channel) {
  const bool mixed = channel == luma_channel && in.shape.color_channels() == 3;
  const int planes = channel == every_channel ? in.shape.color_channels() : 1, base = channel > 0 ? channel : 0;
  const int rows = in.height() * planes;
  const auto n = static_cast<std::size_t>(in.width());
  std::vector<Ends> ends(static_cast<std::size_t>(rows));
  parallel_rows(rows, n, [&](int first, int last) {
    std::vector<float> mix(mixed ? n : 0);
    for (int i = first; i < last; ++i) {
      const int y = i % in.height();
      const float* row = in.row(y, base + i / in.height());
      if (mixed) {
        lanes::luma(in.row(y, 0), in.row(y, 1), in.row(y, 2), mix.data(), n);
        row = mix.data();
      }
      auto& e = ends[static_cast<std::size_t>(i)];
      lanes::finite_range(row, n, e.low, e.high);
    }
  });
  Ends all = ends[0];
  for (const Ends& e : ends) all = {std::min(all.low, e.low), std::max(all.high, e.high)};
  return all;
}

}  // namespace sieve
