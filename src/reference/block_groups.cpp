#include "reference/block_groups.hpp"

#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>

namespace sieve::internal::plain_blocks {

using reference::BlockGroups;

namespace {

double difference(const Planes& p, const Place& a, const Place& b, int side) {
  double sum = 0;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) {
      const double d = p.get(0, a.x + x, a.y + y) - p.get(0, b.x + x, b.y + y);
      sum += d * d;
    }
  }
  return sum / side / side;
}

double mean_of_block(const Planes& p, std::size_t c, int x0, int y0, int side) {
  double sum = 0;
  for (int y = y0; y < y0 + side; ++y) {
    for (int x = x0; x < x0 + side; ++x) sum += p.get(c, x, y);
  }
  return sum / side / side;
}

// Of the first channel at a block.
Slope slope_at(const Planes& p, const Place& own, const BlockGroups& g) {
  const int apart = std::min(g.side, g.search), left = std::max(0, own.x - apart), top = std::max(0, own.y - apart),
            right = std::min(p.width - g.side, own.x + apart), bottom = std::min(p.height - g.side, own.y + apart);
  const auto mean = [&](int x, int y) { return mean_of_block(p, 0, x, y, g.side); };
  Slope s;
  if (right > left) s.across = (mean(right, own.y) - mean(left, own.y)) / (right - left);
  if (bottom > top) s.down = (mean(own.x, bottom) - mean(own.x, top)) / (bottom - top);
  return s;
}

// f(k, x): function k of the cosine transform at x.
double cosine(int k, int x, int side) {
  return std::sqrt((k == 0 ? 1.0 : 2.0) / side) * std::cos(std::numbers::pi * (x + 0.5) * k / side);
}

}  // namespace

Planes planes_of(const ConstView& in, int width, int height) {
  const auto mirrored = [](int i, int n) { return i % (2 * n) < n ? i % (2 * n) : 2 * n - 1 - i % (2 * n); };
  Planes p{std::max(width, in.width()), std::max(height, in.height()), {}};
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    p.samples.emplace_back();
    for (int y = 0; y < p.height; ++y) {
      for (int x = 0; x < p.width; ++x) {
        const float v = in.at(mirrored(x, in.width()), mirrored(y, in.height()), c);
        p.samples.back().push_back(std::isfinite(v) ? static_cast<double>(v) : 0);
      }
    }
  }
  if (p.samples.size() == 3) turn_colors(p, false);
  return p;
}

void turn_colors(Planes& p, bool back) {
  const double a = 1 / std::sqrt(3.0), b = 1 / std::sqrt(2.0), c = 1 / std::sqrt(6.0);
  const double rows[3][3] = {{a, a, a}, {b, 0, -b}, {c, -2 * c, c}};
  for (std::size_t i = 0; i < p.samples[0].size(); ++i) {
    const double before[] = {p.samples[0][i], p.samples[1][i], p.samples[2][i]};
    for (std::size_t k = 0; k < 3; ++k) {
      double sum = 0;
      for (std::size_t j = 0; j < 3; ++j) sum += (back ? rows[j][k] : rows[k][j]) * before[j];
      p.samples[k][i] = sum;
    }
  }
}

std::vector<int> references(int whole, int side, int step) {
  std::vector<int> all;
  for (int i = 0; i < whole - side; i += step) all.push_back(i);
  all.push_back(whole - side);
  return all;
}

Numbers block_of(const Planes& p, std::size_t c, const Place& m, int side) {
  Numbers block;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) block.push_back(p.get(c, m.x + x, m.y + y));
  }
  return block;
}

Group group_of(const Planes& p, const Place& own, const BlockGroups& g, bool power_of_two) {
  std::vector<Place> all, alike;
  const Slope slope = g.sloping ? slope_at(p, own, g) : Slope{};
  const double level = g.sloping ? mean_of_block(p, 0, own.x, own.y, g.side) : 0;
  for (int y = std::max(0, own.y - g.search); y <= std::min(p.height - g.side, own.y + g.search); ++y) {
    for (int x = std::max(0, own.x - g.search); x <= std::min(p.width - g.side, own.x + g.search); ++x) {
      Place m{0, x, y};
      m.distance = x == own.x && y == own.y ? -1 : difference(p, own, m, g.side);
      if (m.distance < g.unlike) all.push_back(m);
      if (g.sloping) {
        // The mean of (own + rise - other)^2.
        const double rise = slope.across * (x - own.x) + slope.down * (y - own.y);
        m.distance += 2 * rise * (level - mean_of_block(p, 0, x, y, g.side)) + rise * rise;
      }
      if (m.distance < g.alike) alike.push_back(m);
    }
  }
  const bool spread = static_cast<int>(alike.size()) >= g.most;
  const std::size_t most = std::min(spread ? alike.size() : all.size(), at(g.most)),
                    count = power_of_two ? std::bit_floor(most) : most;
  if (spread) {
    // The own block, then by the fractional part of dx / p + dy / p^2, p^3 = p + 1.
    const double p1 = std::cbrt(0.5 + std::sqrt(69.0) / 18) + std::cbrt(0.5 - std::sqrt(69.0) / 18);
    const auto order = [&](const Place& m) {
      const double t = (m.x - own.x) / p1 + (m.y - own.y) / p1 / p1;
      return m.x == own.x && m.y == own.y ? -1 : t - std::floor(t);
    };
    std::sort(alike.begin(), alike.end(), [&](const Place& a, const Place& b) { return order(a) < order(b); });
    alike.resize(count);
    return {alike, true};
  }
  // To 13 bits, as sums; stable: at equal distances in reading order.
  for (Place& m : all) {
    if (m.distance <= 0) continue;
    int exponent = 0;
    const double part = std::frexp(m.distance * g.side * g.side, &exponent);
    m.distance = std::ldexp(std::round(std::ldexp(part, 13)), exponent);
  }
  std::stable_sort(all.begin(), all.end(), [](const Place& a, const Place& b) { return a.distance < b.distance; });
  all.resize(count);
  return {all, false};
}

Numbers transformed(const Numbers& block, int side, bool back) {
  const auto weight = [&](int to, int from) { return back ? cosine(from, to, side) : cosine(to, from, side); };
  Numbers along(block.size()), both(block.size());
  for (int y = 0; y < side; ++y) {
    for (int k = 0; k < side; ++k) {
      for (int x = 0; x < side; ++x) along[at(y * side + k)] += weight(k, x) * block[at(y * side + x)];
    }
  }
  for (int k = 0; k < side; ++k) {
    for (int x = 0; x < side; ++x) {
      for (int y = 0; y < side; ++y) both[at(k * side + x)] += weight(k, y) * along[at(y * side + x)];
    }
  }
  return both;
}

double power_at(const Numbers& of_eight, int k, int side) {
  double sum = 0;
  const int row = k / side;
  const double x = std::min(7.0, 8.0 * (k % side) / side), y = std::min(7.0, 8.0 * row / side);
  for (int v = 0; v < 8; ++v) {
    for (int u = 0; u < 8; ++u)
      sum += std::max(0.0, 1 - std::abs(u - x)) * std::max(0.0, 1 - std::abs(v - y)) * of_eight[at(8 * v + u)];
  }
  return sum;
}

}  // namespace sieve::internal::plain_blocks
