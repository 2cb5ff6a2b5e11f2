#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>
#include <vector>

#include "sieve/reference/denoise.hpp"

namespace sieve {

namespace {

using reference::BlockGroups;
using Numbers = std::vector<double>;

std::size_t at(int i) { return static_cast<std::size_t>(i); }

struct Planes {
  int width, height;
  std::vector<Numbers> samples;  // of each channel
  double get(std::size_t c, int x, int y) const { return samples[c][at(y * width + x)]; }
};

struct Place {
  double distance;
  int x, y;
};

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

std::vector<Place> group_of(const Planes& p, const Place& own, const BlockGroups& g) {
  std::vector<Place> all, alike;
  for (int y = std::max(0, own.y - g.search); y <= std::min(p.height - g.side, own.y + g.search); ++y) {
    for (int x = std::max(0, own.x - g.search); x <= std::min(p.width - g.side, own.x + g.search); ++x) {
      Place m{0, x, y};
      m.distance = x == own.x && y == own.y ? -1 : difference(p, own, m, g.side);
      if (m.distance < g.unlike) all.push_back(m);
      if (m.distance < g.alike) alike.push_back(m);
    }
  }
  const bool spread = static_cast<int>(alike.size()) >= g.most;
  const std::size_t count = std::bit_floor(std::min(spread ? alike.size() : all.size(), at(g.most)));
  if (spread) {
    // The own block, then by the fractional part of dx / p + dy / p^2, p^3 = p + 1.
    const double p1 = std::cbrt(0.5 + std::sqrt(69.0) / 18) + std::cbrt(0.5 - std::sqrt(69.0) / 18);
    const auto order = [&](const Place& m) {
      const double t = (m.x - own.x) / p1 + (m.y - own.y) / p1 / p1;
      return m.distance < 0 ? -1 : t - std::floor(t);
    };
    std::sort(alike.begin(), alike.end(), [&](const Place& a, const Place& b) { return order(a) < order(b); });
    alike.resize(count);
    return alike;
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
  return all;
}

// f(k, x): function k of the cosine transform at x.
double cosine(int k, int x, int side) {
  return std::sqrt((k == 0 ? 1.0 : 2.0) / side) * std::cos(std::numbers::pi * (x + 0.5) * k / side);
}

// Along rows and columns; `back` for the inverse.
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

// The stack of blocks of a group, transformed within and through it.
std::vector<Numbers> through(const std::vector<Numbers>& blocks) {
  const std::size_t n = blocks.size();
  std::vector<Numbers> out(n, Numbers(blocks[0].size()));
  for (std::size_t i = 0; i < n; ++i) {
    for (std::size_t j = 0; j < n; ++j) {
      const double sign = std::popcount(i & j) % 2 == 0 ? 1 : -1;
      for (std::size_t k = 0; k < blocks[j].size(); ++k)
        out[i][k] += sign * blocks[j][k] / std::sqrt(static_cast<double>(n));
    }
  }
  return out;
}

std::vector<Numbers> stack_of(const Planes& p, std::size_t c, const std::vector<Place>& group, int side) {
  std::vector<Numbers> blocks;
  for (const Place& m : group) {
    Numbers block;
    for (int y = 0; y < side; ++y) {
      for (int x = 0; x < side; ++x) block.push_back(p.get(c, m.x + x, m.y + y));
    }
    blocks.push_back(transformed(block, side, false));
  }
  return through(blocks);
}

double bessel(double x) {
  double sum = 1, term = 1;
  for (int k = 1; k < 30; ++k) sum += term *= (x / 2 / k) * (x / 2 / k);
  return sum;
}

std::vector<int> references(int whole, int side, int step) {
  std::vector<int> all;
  for (int i = 0; i < whole - side; i += step) all.push_back(i);
  all.push_back(whole - side);
  return all;
}

// Groups are found in `match`'s first channel; a guide may be missing.
Planes pass(const Planes& noisy, const Planes& match, const Planes* guide, double noise, const BlockGroups& g) {
  const std::size_t channels = noisy.samples.size();
  std::vector<Numbers> sums(channels, Numbers(noisy.samples[0].size())), weights = sums;
  Numbers kaiser;
  for (int x = 0; x < g.side; ++x)
    kaiser.push_back(bessel(2 * std::sqrt(1 - std::pow(2.0 * x / (g.side - 1) - 1, 2))) / bessel(2));
  for (const int y : references(noisy.height, g.side, g.step)) {
    for (const int x : references(noisy.width, g.side, g.step)) {
      const std::vector<Place> group = group_of(match, {-1, x, y}, g);
      for (std::size_t c = 0; c < channels; ++c) {
        std::vector<Numbers> stack = stack_of(noisy, c, group, g.side);
        double kept = 0;
        if (guide == nullptr) {
          for (Numbers& block : stack) {
            for (double& v : block) {
              if (&v == stack[0].data() || std::abs(v) > g.hard * noise) {
                ++kept;
              } else {
                v = 0;
              }
            }
          }
          kept = std::max(1.0, kept);
        } else {
          const std::vector<Numbers> signal = stack_of(*guide, c, group, g.side);
          for (std::size_t i = 0; i < stack.size(); ++i) {
            for (std::size_t k = 0; k < stack[i].size(); ++k) {
              const double s = signal[i][k] * signal[i][k], factor = i == 0 && k == 0 ? 1 : s / (s + noise * noise);
              stack[i][k] *= factor;
              kept += factor * factor;
            }
          }
          kept = std::max(1e-3, kept);
        }
        stack = through(stack);
        for (std::size_t i = 0; i < group.size(); ++i) {
          const Numbers block = transformed(stack[i], g.side, true);
          for (int v = 0; v < g.side; ++v) {
            for (int u = 0; u < g.side; ++u) {
              const std::size_t to = at((group[i].y + v) * noisy.width + group[i].x + u);
              const double weight = kaiser[at(u)] * kaiser[at(v)] / kept;
              sums[c][to] += weight * block[at(v * g.side + u)];
              weights[c][to] += weight;
            }
          }
        }
      }
    }
  }
  Planes out = noisy;
  for (std::size_t c = 0; c < channels; ++c) {
    for (std::size_t i = 0; i < sums[c].size(); ++i) out.samples[c][i] = sums[c][i] / weights[c][i];
  }
  return out;
}

// Luma and differences from channels; with `back` the other way.
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

}  // namespace

Image reference::block_matching(const ConstView& in, double noise, const BlockGroups& first,
                                const BlockGroups& second) {
  // A picture that is smaller than a block goes on as its mirror image.
  const int side = std::max(first.side, second.side), color = in.shape.color_channels();
  const auto mirrored = [](int i, int n) { return i % (2 * n) < n ? i % (2 * n) : 2 * n - 1 - i % (2 * n); };
  Planes p{std::max(side, in.width()), std::max(side, in.height()), {}};
  for (int c = 0; c < color; ++c) {
    p.samples.emplace_back();
    for (int y = 0; y < p.height; ++y) {
      for (int x = 0; x < p.width; ++x) {
        const float v = in.at(mirrored(x, in.width()), mirrored(y, in.height()), c);
        p.samples.back().push_back(std::isfinite(v) ? static_cast<double>(v) : 0);
      }
    }
  }
  if (color == 3) turn_colors(p, false);
  const Planes basic = pass(p, p, nullptr, noise, first);
  Planes made = pass(p, basic, &basic, noise, second);
  if (color == 3) turn_colors(made, true);
  Image out(in);
  for (int c = 0; c < color; ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (std::isfinite(in.at(x, y, c))) out.at(x, y, c) = static_cast<float>(made.get(at(c), x, y));
      }
    }
  }
  return out;
}

}  // namespace sieve
