#include <algorithm>
#include <bit>
#include <cmath>
#include <numbers>
#include <vector>

#include "sieve/reference/denoise.hpp"

namespace sieve {

namespace {

using reference::BlockGroups;
using reference::BlockNoisePowers;
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

double mean_of_block(const Planes& p, std::size_t c, int x0, int y0, int side) {
  double sum = 0;
  for (int y = y0; y < y0 + side; ++y) {
    for (int x = x0; x < x0 + side; ++x) sum += p.get(c, x, y);
  }
  return sum / side / side;
}

// By how much the first channel rises per pixel at a block.
struct Slope {
  double across = 0, down = 0;
};
Slope slope_at(const Planes& p, const Place& own, const BlockGroups& g) {
  const int apart = std::min(g.side, g.search), left = std::max(0, own.x - apart), top = std::max(0, own.y - apart),
            right = std::min(p.width - g.side, own.x + apart), bottom = std::min(p.height - g.side, own.y + apart);
  const auto mean = [&](int x, int y) { return mean_of_block(p, 0, x, y, g.side); };
  Slope s;
  if (right > left) s.across = (mean(right, own.y) - mean(left, own.y)) / (right - left);
  if (bottom > top) s.down = (mean(own.x, bottom) - mean(own.x, top)) / (bottom - top);
  return s;
}

struct Group {
  std::vector<Place> blocks;
  bool spread;
};

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

Numbers block_of(const Planes& p, std::size_t c, const Place& m, int side) {
  Numbers block;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) block.push_back(p.get(c, m.x + x, m.y + y));
  }
  return block;
}

// Of number k of blocks of a side: at its frequency, on a line between those of blocks of 8.
double power_at(const Numbers& of_eight, int k, int side) {
  double sum = 0;
  const double x = std::min(7.0, 8.0 * (k % side) / side), y = std::min(7.0, 8.0 * (k / side) / side);
  for (int v = 0; v < 8; ++v) {
    for (int u = 0; u < 8; ++u)
      sum += std::max(0.0, 1 - std::abs(u - x)) * std::max(0.0, 1 - std::abs(v - y)) * of_eight[at(8 * v + u)];
  }
  return sum;
}

std::vector<Numbers> blocks_of(const Planes& p, std::size_t c, const std::vector<Place>& group, int side) {
  std::vector<Numbers> blocks;
  for (const Place& m : group) blocks.push_back(block_of(p, c, m, side));
  return blocks;
}
std::vector<Numbers> stack_of(std::vector<Numbers> blocks, int side) {
  for (Numbers& b : blocks) b = transformed(b, side, false);
  return through(blocks);
}

// The plane through the means of blocks by least squares, and what a slope times the root of `across` or `down` is as
// uncertain as: one sample.
struct Plane {
  Slope slope;
  double across, down;
};
Plane plane_through(const std::vector<Numbers>& blocks, const std::vector<Place>& group) {
  const auto mean = [](const auto& of) {
    double sum = 0;
    for (const double v : of) sum += v;
    return sum / static_cast<double>(of.size());
  };
  Numbers xs, ys, levels;
  for (std::size_t i = 0; i < blocks.size(); ++i) {
    xs.push_back(group[i].x);
    ys.push_back(group[i].y);
    levels.push_back(mean(blocks[i]));
  }
  const double x0 = mean(xs), y0 = mean(ys), level = mean(levels);
  double xx = 0, yy = 0, xy = 0, xv = 0, yv = 0;
  for (std::size_t i = 0; i < blocks.size(); ++i) {
    const double x = xs[i] - x0, y = ys[i] - y0, v = levels[i] - level;
    xx += x * x;
    yy += y * y;
    xy += x * y;
    xv += x * v;
    yv += y * v;
  }
  const double determinant = xx * yy - xy * xy, numbers = static_cast<double>(blocks[0].size());
  Plane p{{}, numbers * xx, numbers * yy};
  if (determinant > 1e-6 * xx * yy) p.slope = {(xv * yy - yv * xy) / determinant, (yv * xx - xv * xy) / determinant};
  return p;
}
// Adds a plane, 0 in the middle of the first block, to the samples of all.
void add_plane(std::vector<Numbers>& blocks, const std::vector<Place>& group, const Slope& s, int side) {
  for (std::size_t i = 0; i < blocks.size(); ++i) {
    for (int v = 0; v < side; ++v) {
      for (int u = 0; u < side; ++u)
        blocks[i][at(v * side + u)] += s.across * (group[i].x - group[0].x + u - (side - 1) / 2.0) +
                                       s.down * (group[i].y - group[0].y + v - (side - 1) / 2.0);
    }
  }
}
Slope turned_back(const Slope& s) { return {-s.across, -s.down}; }

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
Planes pass(const Planes& noisy, const Planes& match, const Planes* guide, const BlockNoisePowers& noise,
            const BlockGroups& g) {
  const std::size_t channels = noisy.samples.size();
  std::vector<Numbers> sums(channels, Numbers(noisy.samples[0].size())), weights = sums;
  Numbers kaiser;
  for (int x = 0; x < g.side; ++x)
    kaiser.push_back(bessel(2 * std::sqrt(1 - std::pow(2.0 * x / (g.side - 1) - 1, 2))) / bessel(2));
  for (const int y : references(noisy.height, g.side, g.step)) {
    for (const int x : references(noisy.width, g.side, g.step)) {
      const Group found = group_of(match, {-1, x, y}, g, true);
      const std::vector<Place>& group = found.blocks;
      const bool sloping = found.spread && group.size() > 3;
      for (std::size_t c = 0; c < channels; ++c) {
        std::vector<Numbers> blocks = blocks_of(noisy, c, group, g.side), signal;
        if (guide != nullptr) signal = blocks_of(*guide, c, group, g.side);
        Slope slope;
        if (sloping) {
          const double power = power_at(noise[c], 0, g.side);
          const Plane own = plane_through(blocks, group);
          slope = own.slope;
          if (guide == nullptr) {
            const double least = 1.5 * g.hard * std::sqrt(power);
            if (std::abs(slope.across) * std::sqrt(own.across) <= least) slope.across = 0;
            if (std::abs(slope.down) * std::sqrt(own.down) <= least) slope.down = 0;
            add_plane(blocks, group, turned_back(slope), g.side);
          } else {
            add_plane(blocks, group, turned_back(slope), g.side);
            const Plane guided = plane_through(signal, group);
            add_plane(signal, group, turned_back(guided.slope), g.side);
            const double a = guided.slope.across * guided.slope.across * guided.across,
                         b = guided.slope.down * guided.slope.down * guided.down;
            slope = {slope.across * a / (a + 10 * power), slope.down * b / (b + 10 * power)};
          }
        }
        std::vector<Numbers> stack = stack_of(blocks, g.side);
        double kept = 0;
        if (guide == nullptr) {
          for (Numbers& block : stack) {
            for (std::size_t k = 0; k < block.size(); ++k) {
              double& v = block[k];
              if (&v == stack[0].data() ||
                  std::abs(v) > g.hard * std::sqrt(power_at(noise[c], static_cast<int>(k), g.side))) {
                ++kept;
              } else {
                v = 0;
              }
            }
          }
          kept = std::max(1.0, kept);
        } else {
          signal = stack_of(signal, g.side);
          for (std::size_t i = 0; i < stack.size(); ++i) {
            for (std::size_t k = 0; k < stack[i].size(); ++k) {
              const double s = signal[i][k] * signal[i][k], power = power_at(noise[c], static_cast<int>(k), g.side),
                           factor = i == 0 && k == 0 ? 1 : s / (s + power);
              stack[i][k] *= factor;
              kept += factor * factor;
            }
          }
          kept = std::max(1e-3, kept);
        }
        stack = through(stack);
        for (Numbers& block : stack) block = transformed(block, g.side, true);
        add_plane(stack, group, slope, g.side);
        for (std::size_t i = 0; i < group.size(); ++i) {
          const Numbers& block = stack[i];
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

double dot(const Numbers& a, const Numbers& b) {
  double sum = 0;
  for (std::size_t k = 0; k < a.size(); ++k) sum += a[k] * b[k];
  return sum;
}

// The columns of a matrix made orthogonal to each other by rotations in pairs (Hestenes, 1958): their lengths are then
// its singular values. The rotations are done with the columns of `right`, too.
void make_orthogonal(std::vector<Numbers>& columns, std::vector<Numbers>& right) {
  const auto rotate = [](Numbers& a, Numbers& b, double c, double s) {
    for (std::size_t k = 0; k < a.size(); ++k) {
      const double x = a[k], y = b[k];
      a[k] = c * x - s * y;
      b[k] = s * x + c * y;
    }
  };
  double all = 0;
  for (const Numbers& c : columns) all += dot(c, c);
  for (bool done = false; !done;) {
    done = true;
    for (std::size_t i = 0; i < columns.size(); ++i) {
      for (std::size_t j = i + 1; j < columns.size(); ++j) {
        const double a = dot(columns[i], columns[i]), b = dot(columns[j], columns[j]), c = dot(columns[i], columns[j]);
        if (std::abs(c) <= 1e-10 * std::sqrt(a * b) + 1e-18 * all) continue;
        done = false;
        const double z = (b - a) / (2 * c), t = (z < 0 ? -1 : 1) / (std::abs(z) + std::sqrt(1 + z * z)),
                     cosine_of = 1 / std::sqrt(1 + t * t);
        rotate(columns[i], columns[j], cosine_of, cosine_of * t);
        rotate(right[i], right[j], cosine_of, cosine_of * t);
      }
    }
  }
}

std::vector<Numbers> turned(const std::vector<Numbers>& m) {
  std::vector<Numbers> t(m[0].size(), Numbers(m.size()));
  for (std::size_t i = 0; i < m.size(); ++i) {
    for (std::size_t k = 0; k < m[i].size(); ++k) t[k][i] = m[i][k];
  }
  return t;
}

// A matrix whose singular values s become (s + sqrt(s^2 - least)) / 2, or 0: the closed form for weights least / 4 / s
// (Gu and others, equation 15 and after).
std::vector<Numbers> shrunk(const std::vector<Numbers>& matrix, double least) {
  if (matrix.size() > matrix[0].size()) return turned(shrunk(turned(matrix), least));
  std::vector<Numbers> columns = matrix, right(matrix.size(), Numbers(matrix.size())),
                       out(matrix.size(), Numbers(matrix[0].size()));
  for (std::size_t i = 0; i < matrix.size(); ++i) right[i][i] = 1;
  make_orthogonal(columns, right);
  for (std::size_t i = 0; i < columns.size(); ++i) {
    const double square = dot(columns[i], columns[i]);
    if (square <= least) continue;
    const double share = (1 + std::sqrt(1 - least / square)) / 2;
    for (std::size_t j = 0; j < out.size(); ++j) {
      for (std::size_t k = 0; k < out[j].size(); ++k) out[j][k] += share * columns[i][k] * right[i][j];
    }
  }
  return out;
}

// What the blocks of a group, a column each, become.
std::vector<Numbers> shrunk_group(std::vector<Numbers> blocks, double noise) {
  const auto count = static_cast<double>(blocks.size());
  const std::size_t n = blocks[0].size();
  Numbers mean(n);
  for (const Numbers& b : blocks) {
    for (std::size_t k = 0; k < n; ++k) mean[k] += b[k] / count;
  }
  for (Numbers& b : blocks) {
    for (std::size_t k = 0; k < n; ++k) b[k] -= mean[k];
  }
  blocks = shrunk(blocks, 4 * 2 * std::sqrt(2 * count) * noise * noise);
  double form = 0;
  for (std::size_t k = 1; k < n; ++k) form += mean[k] * mean[k] / static_cast<double>(n);
  const double share = form > 0 ? std::max(0.0, 1 - noise * noise / count / form) : 0;
  for (Numbers& b : blocks) {
    for (std::size_t k = 0; k < n; ++k) b[k] += (k == 0 ? 1 : share) * mean[k];
  }
  return blocks;
}

Planes singular_round(const Planes& noisy, const Planes& made, const BlockNoisePowers& powers,
                      const reference::SingularRound& r, bool first) {
  const BlockGroups& g = r.groups;
  const std::size_t channels = noisy.samples.size(), size = noisy.samples[0].size();
  Planes given = made, out = made;
  std::vector<Numbers> sums(channels, Numbers(size)), weights = sums;
  for (std::size_t c = 0; c < channels; ++c) {
    for (std::size_t i = 0; i < size; ++i)
      given.samples[c][i] += r.feedback * (noisy.samples[c][i] - made.samples[c][i]);
  }
  for (const int y : references(noisy.height, g.side, g.step)) {
    for (const int x : references(noisy.width, g.side, g.step)) {
      const std::vector<Place> group = group_of(made, {-1, x, y}, g, false).blocks;
      for (std::size_t c = 0; c < channels; ++c) {
        double variance = 0, taken = 0;
        for (const double p : powers[c]) variance += p / 64;
        std::vector<Numbers> blocks;
        for (const Place& m : group) {
          const Numbers now = block_of(given, c, m, g.side), before = block_of(noisy, c, m, g.side);
          for (std::size_t k = 0; k < now.size(); ++k)
            taken += std::pow(now[k] - before[k], 2) / static_cast<double>(now.size() * group.size());
          blocks.push_back(transformed(now, g.side, false));
        }
        const auto white = [&](std::size_t k) {
          return std::sqrt(power_at(powers[c], static_cast<int>(k), g.side) / variance);
        };
        for (Numbers& b : blocks) {
          for (std::size_t k = 0; k < b.size(); ++k) b[k] /= white(k);
        }
        blocks = shrunk_group(blocks, first ? std::sqrt(variance) / 2 : 0.56 * std::sqrt(std::abs(variance - taken)));
        for (std::size_t i = 0; i < group.size(); ++i) {
          for (std::size_t k = 0; k < blocks[i].size(); ++k) blocks[i][k] *= white(k);
          const Numbers block = transformed(blocks[i], g.side, true);
          for (int k = 0; k < g.side * g.side; ++k) {
            const std::size_t to = at((group[i].y + k / g.side) * noisy.width + group[i].x + k % g.side);
            sums[c][to] += block[at(k)];
            ++weights[c][to];
          }
        }
      }
    }
  }
  for (std::size_t c = 0; c < channels; ++c) {
    for (std::size_t i = 0; i < size; ++i) out.samples[c][i] = sums[c][i] / weights[c][i];
  }
  return out;
}

// The color planes, mirrored up to a width and height; samples that are not finite as 0.
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

}  // namespace

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

Image reference::block_matching(const ConstView& in, const BlockNoisePowers& noise, const BlockGroups& first,
                                const BlockGroups& second, const std::vector<SingularRound>& rounds) {
  // A picture that is smaller than a block goes on as its mirror image.
  int side = std::max(first.side, second.side);
  for (const SingularRound& r : rounds) side = std::max(side, r.groups.side);
  const int color = in.shape.color_channels();
  const Planes p = planes_of(in, side, side);
  const Planes basic = pass(p, p, nullptr, noise, first);
  Planes made = pass(p, basic, &basic, noise, second);
  for (std::size_t i = 0; i < rounds.size(); ++i) made = singular_round(p, made, noise, rounds[i], i == 0);
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
