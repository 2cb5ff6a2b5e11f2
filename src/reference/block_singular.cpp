#include <algorithm>
#include <cmath>

#include "reference/block_groups.hpp"

namespace sieve::internal::plain_blocks {

using reference::BlockGroups;
using reference::BlockNoisePowers;

namespace {

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

}  // namespace

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

}  // namespace sieve::internal::plain_blocks
