#include <algorithm>
#include <bit>
#include <cmath>

#include "reference/block_groups.hpp"

namespace sieve {

using namespace internal::plain_blocks;
using reference::BlockGroups;
using reference::BlockNoisePowers;

namespace {

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
struct MeanPlane {
  Slope slope;
  double across, down;
};
MeanPlane plane_through(const std::vector<Numbers>& blocks, const std::vector<Place>& group) {
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
  MeanPlane p{{}, numbers * xx, numbers * yy};
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
          const MeanPlane own = plane_through(blocks, group);
          slope = own.slope;
          if (guide == nullptr) {
            const double least = 1.5 * g.hard * std::sqrt(power);
            if (std::abs(slope.across) * std::sqrt(own.across) <= least) slope.across = 0;
            if (std::abs(slope.down) * std::sqrt(own.down) <= least) slope.down = 0;
            add_plane(blocks, group, turned_back(slope), g.side);
          } else {
            add_plane(blocks, group, turned_back(slope), g.side);
            const MeanPlane guided = plane_through(signal, group);
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

}  // namespace

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
