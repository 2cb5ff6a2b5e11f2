#include "restore/told_noise.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "sieve/quality/estimate.hpp"

namespace sieve::internal {

double Rounding::deviation() const { return step / std::sqrt(12.0); }

Rounding rounding_of(const ConstView& in) {
  // A sample of a file is its level over the white one, rounded once: so much of a step at most beside it.
  constexpr double kBeside = 1e-2;
  float largest = std::numeric_limits<float>::min();
  bool integers = in.white_level > 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      const float* row = in.row(y, c);
      for (int x = 0; x < in.width(); ++x) {
        if (!std::isfinite(row[x])) continue;
        largest = std::max(largest, std::abs(row[x]));
        if (!integers) continue;
        const double level = static_cast<double>(row[x]) * in.white_level;
        integers = std::abs(level - std::round(level)) < kBeside;
      }
    }
  }
  if (integers) return {1.0 / in.white_level, true};
  return {std::ldexp(1.0, std::ilogb(largest) - std::numeric_limits<float>::digits + 1), false};
}

double noise_of(const std::optional<float>& given, const ConstView& in) {
  return given ? static_cast<double>(*given) : std::max(rounding_of(in).deviation(), noise_level(in));
}

}  // namespace sieve::internal
