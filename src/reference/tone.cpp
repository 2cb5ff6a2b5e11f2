#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/map.hpp"
#include "sieve/reference.hpp"

namespace sieve::reference {

Image clip(const ConstView& in, double low, double high) {
  const auto a = static_cast<float>(low), b = static_cast<float>(high);
  return map_samples(in, [a, b](float v) { return v < a ? a : v > b ? b : v; });
}

Image stretch(const ConstView& in, std::optional<double> low, std::optional<double> high, double to_low,
              double to_high, double percent) {
  std::vector<float> sorted;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (std::isfinite(in.at(x, y, c))) sorted.push_back(in.at(x, y, c));
      }
    }
  }
  std::sort(sorted.begin(), sorted.end());
  if (!sorted.empty()) {
    const double last = static_cast<double>(sorted.size() - 1);
    if (!low) low = sorted[static_cast<std::size_t>(std::floor(percent / 100 * last))];
    if (!high) high = sorted[static_cast<std::size_t>(std::ceil((1 - percent / 100) * last))];
  }
  if (!low || !high || *low == *high) {
    return map_samples(in, [to_low](float v) { return std::isfinite(v) ? static_cast<float>(to_low) : v; });
  }
  return map_samples(in, [=](float v) {
    return static_cast<float>(to_low + (static_cast<double>(v) - *low) / (*high - *low) * (to_high - to_low));
  });
}

Image absolute(const ConstView& in) {
  return map_samples(in, [](float v) { return std::fabs(v); });
}

Image gray(const ConstView& in, GrayBy by) {
  if (in.shape.color_channels() == 1) return Image(in);
  const int alpha = in.shape.has_alpha() ? 1 : 0;
  Image out(Shape{in.width(), in.height(), 1 + alpha}, in.maximum);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const double r = in.at(x, y, 0), g = in.at(x, y, 1), b = in.at(x, y, 2);
      double v = by == GrayBy::red ? r : by == GrayBy::green ? g : by == GrayBy::blue ? b : (r + g + b) / 3;
      if (by == GrayBy::rec709) v = 0.2126 * r + 0.7152 * g + 0.0722 * b;
      if (by == GrayBy::rec601) v = 0.299 * r + 0.587 * g + 0.114 * b;
      if (by == GrayBy::rec2020) v = 0.2627 * r + 0.6780 * g + 0.0593 * b;
      out.at(x, y, 0) = static_cast<float>(v);
      if (alpha) out.at(x, y, 1) = in.at(x, y, 3);
    }
  }
  return out;
}

}  // namespace sieve::reference
