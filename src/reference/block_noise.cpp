#include <algorithm>
#include <cmath>

#include "reference/block_groups.hpp"

namespace sieve {

using namespace internal::plain_blocks;

reference::BlockNoisePowers reference::white_noise_powers(int planes, double deviation) {
  return BlockNoisePowers(at(planes), Numbers(64, deviation * deviation));
}

reference::BlockNoisePowers reference::noise_powers(const ConstView& in, bool flat_parts) {
  const Planes p = planes_of(in, 0, 0);
  const int across = p.width / 8, down = p.height / 8;
  BlockNoisePowers powers;
  for (std::size_t c = 0; c < p.samples.size(); ++c) {
    const auto energy = [&](int x, int y) {
      if (x < 0 || y < 0 || x >= across || y >= down) return 0.0;
      const Numbers b = transformed(block_of(p, c, {0, 8 * x, 8 * y}, 8), 8, false);
      double sum = 0;
      for (std::size_t k = 1; k < 64; ++k) sum += b[k] * b[k];
      return sum;
    };
    std::vector<Place> all, chosen;
    for (int y = 0; y < down; ++y) {
      for (int x = 0; x < across; ++x) {
        int ends = 0;
        for (int i = 0; i < 64 * in.shape.color_channels(); ++i) {
          const float v = in.at(8 * x + i % 8, 8 * y + i / 8 % 8, i / 64);
          ends += v == 0 || v == 1;
        }
        const double beside = std::max({energy(x - 1, y), energy(x + 1, y), energy(x, y - 1), energy(x, y + 1)});
        all.push_back({beside, 8 * x, 8 * y});
        if (50 * ends <= 64 * in.shape.color_channels()) chosen.push_back(all.back());
      }
    }
    const bool few = 4 * chosen.size() <= all.size();
    const auto mean = [&](const Place& m) { return transformed(block_of(p, c, m, 8), 8, false)[0]; };
    std::vector<Place> flattest;
    std::stable_sort(chosen.begin(), chosen.end(), [&](const Place& a, const Place& b) {
      return static_cast<float>(mean(a)) < static_cast<float>(mean(b));
    });
    for (std::size_t k = 0; k < 8; ++k) {
      std::vector<Place> part(chosen.begin() + static_cast<std::ptrdiff_t>(chosen.size() * k / 8),
                              chosen.begin() + static_cast<std::ptrdiff_t>(chosen.size() * (k + 1) / 8));
      std::sort(part.begin(), part.end(), [](const Place& a, const Place& b) {
        return a.distance != b.distance ? a.distance < b.distance : a.y != b.y ? a.y < b.y : a.x < b.x;
      });
      part.resize(std::min(part.size(), std::max<std::size_t>(8, part.size() / 10)));
      flattest.insert(flattest.end(), part.begin(), part.end());
    }
    chosen = flattest;
    if (!flat_parts || few) chosen = all;
    Numbers power(64);
    for (std::size_t k = 1; k < 64; ++k) {
      Numbers squares;
      for (const Place& m : chosen) squares.push_back(std::pow(transformed(block_of(p, c, m, 8), 8, false)[k], 2));
      std::sort(squares.begin(), squares.end());
      power[k] = squares[squares.size() / 2] / 0.4549364;
    }
    const double most = std::max(power[1], power[8]);
    power[0] = power[9] > 0 ? std::clamp(power[1] * power[8] / power[9], most, 2 * most) : most;
    double mean_power = 0;
    for (const double v : power) mean_power += v / 64;
    for (double& v : power) v = std::max({v, 1e-12, 1e-3 * mean_power});
    double low = 0, middle = 0, high = 0;  // 9 numbers of order 1 to 3, 21 of order 5 to 7, 15 of order 10 to 14
    for (std::size_t k = 0; k < 64; ++k) {
      const std::size_t order = k % 8 + k / 8;
      if (order >= 1 && order <= 3) low += power[k] / 9;
      if (order >= 5 && order <= 7) middle += power[k] / 21;
      if (order >= 10) high += power[k] / 15;
    }
    const bool white = !(middle > 1.69 * high) || low / high > std::pow(middle / high, 2.25);
    if (flat_parts && white) std::fill(power.begin(), power.end(), high);
    powers.push_back(power);
  }
  return powers;
}

}  // namespace sieve
