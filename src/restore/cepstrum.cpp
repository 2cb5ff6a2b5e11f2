#include "restore/cepstrum.hpp"

#include <algorithm>
#include <cmath>
#include <complex>

#include "core/at_share.hpp"
#include "restore/window_power.hpp"

namespace sieve::internal {

namespace {

DoubleSpectrum cepstrum_of(const ConstView& gray, int side) {
  const std::vector<double> power = window_power(gray, side, [](const std::complex<float>*) { return 1.0; });
  const int half = side / 2;
  Image logs(side, side);
  for (int v = 0; v < side; ++v) {
    for (int u = 0; u < side; ++u) {
      const int column = u <= half ? u : side - u, row = u <= half ? v : (side - v) % side;
      logs.at(u, v) = static_cast<float>(std::log(power[static_cast<std::size_t>(row * (half + 1) + column)] + 1e-20));
    }
  }
  return double_spectrum(logs);
}

int side_of(const ConstView& gray) {
  constexpr int kSmallest = 64, kLargest = 256;
  int side = kSmallest;
  while (2 * side <= std::min({gray.width(), gray.height(), kLargest})) side *= 2;
  return side;
}

}  // namespace

std::pair<double, double> middle_and_spread(const std::vector<double>& v) {
  std::vector<double> all = v;
  const double m = at_share(all, 0.5);
  for (double& x : all) x = std::abs(x - m);
  return {m, 1.4826 * at_share(all, 0.5)};
}

Cepstrum::Cepstrum(const ConstView& gray) : values_(cepstrum_of(gray, side_of(gray))) {
  reach_ = std::min(80, side_of(gray) / 2 - 4);
  std::vector<std::vector<double>> rings(static_cast<std::size_t>(reach_ + 3));
  for (int y = 0; y <= reach_ + 1; ++y) {
    for (int x = -reach_ - 1; x <= reach_ + 1; ++x) {
      if (y == 0 && x <= 0) continue;
      const auto r = static_cast<std::size_t>(std::lround(std::hypot(x, y)));
      for (std::size_t k = r > 0 ? r - 1 : 0; k <= r + 1 && k < rings.size(); ++k)
        rings[k].push_back(values_.at(x, y).real());
    }
  }
  for (const auto& ring : rings) normal_.push_back(ring.empty() ? std::pair(0.0, 1.0) : middle_and_spread(ring));
}

}  // namespace sieve::internal
