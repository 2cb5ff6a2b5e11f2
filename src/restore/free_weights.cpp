#include "restore/free_weights.hpp"

#include <algorithm>
#include <cmath>

#include "core/index.hpp"
#include "core/to_integer.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

// For each sample above 0 the weight of all that touch it, and what touches those.
std::vector<double> piece_weights(const Weights& w) {
  std::vector<double> weight(w.values.size());
  std::vector<bool> seen(w.values.size());
  for (int start = 0; start < w.side * w.side; ++start) {
    if (w.values[index(start)] == 0 || seen[index(start)]) continue;
    std::vector<int> piece{start};
    seen[index(start)] = true;
    double sum = 0;
    for (std::size_t next = 0; next < piece.size(); ++next) {
      const int x = piece[next] % w.side, y = piece[next] / w.side;
      sum += w.at(x, y);
      for (int j = std::max(0, y - 1); j <= std::min(w.side - 1, y + 1); ++j) {
        for (int i = std::max(0, x - 1); i <= std::min(w.side - 1, x + 1); ++i) {
          const int at = j * w.side + i;
          if (w.values[index(at)] == 0 || seen[index(at)]) continue;
          seen[index(at)] = true;
          piece.push_back(at);
        }
      }
    }
    for (const int at : piece) weight[index(at)] = sum;
  }
  return weight;
}

}  // namespace

Weights enlarged(const Weights& from, int side, double factor) {
  Weights to(side);
  const int middle = side / 2, from_middle = from.side / 2;
  double sum = 0;
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < side; ++x) {
      const double u = (x - middle) / factor + from_middle, v = (y - middle) / factor + from_middle;
      const int i = static_cast<int>(std::floor(u)), j = static_cast<int>(std::floor(v));
      const double s = u - i, t = v - j;
      to.at(x, y) = (1 - t) * ((1 - s) * from.anywhere(i, j) + s * from.anywhere(i + 1, j)) +
                    t * ((1 - s) * from.anywhere(i, j + 1) + s * from.anywhere(i + 1, j + 1));
      sum += to.at(x, y);
    }
  }
  for (double& v : to.values) v /= sum;
  return to;
}

Weights tidied(Weights w) {
  constexpr double kWeak = 0.1, kPiece = 0.1;
  const double most = *std::max_element(w.values.begin(), w.values.end());
  if (!(most > 0)) {
    // No edge was left to see it by.
    Weights one(w.side);
    one.at(w.side / 2, w.side / 2) = 1;
    return one;
  }
  double all = 0;
  for (double& v : w.values) all += v = v < kWeak * most ? 0 : v;
  const std::vector<double> pieces = piece_weights(w);
  // Where all pieces are small the heaviest stays.
  const double least = std::min(kPiece * all, *std::max_element(pieces.begin(), pieces.end()));
  double sum = 0, mx = 0, my = 0;
  for (int y = 0; y < w.side; ++y) {
    for (int x = 0; x < w.side; ++x) {
      double& v = w.at(x, y);
      if (pieces[index(y * w.side + x)] < least) v = 0;
      sum += v, mx += x * v, my += y * v;
    }
  }
  const int dx = to_integer<int>(std::round(mx / sum), 0, w.side) - w.side / 2,
            dy = to_integer<int>(std::round(my / sum), 0, w.side) - w.side / 2;
  Weights middle(w.side);
  sum = 0;
  for (int y = 0; y < w.side; ++y) {
    for (int x = 0; x < w.side; ++x) sum += middle.at(x, y) = w.anywhere(x + dx, y + dy);
  }
  for (double& v : middle.values) v /= sum;
  return middle;
}

Weights solve(const std::vector<double>& equations, const Weights& right) {
  // Of the strength of an unknown itself.
  constexpr double kRidge = 0.002, kEnough = 1e-5;
  constexpr int kRounds = 30;
  const int side = right.side, reach = side - 1, lags = 2 * side - 1;
  const double ridge = kRidge * equations[index(reach * lags + reach)];
  const auto product = [&](const Weights& k) {
    Weights out(side);
    parallel_rows(side, RowCost(index(side * side * side)), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        for (int x = 0; x < side; ++x) {
          double sum = ridge * k.at(x, y);
          for (int j = 0; j < side; ++j) {
            const double* row = &equations[index((y - j + reach) * lags + x + reach)];
            for (int i = 0; i < side; ++i) sum += row[-i] * k.at(i, j);
          }
          out.at(x, y) = sum;
        }
      }
    });
    return out;
  };
  const auto dot = [](const Weights& p, const Weights& q) {
    double s = 0;
    for (std::size_t i = 0; i < p.values.size(); ++i) s += p.values[i] * q.values[i];
    return s;
  };
  Weights k(side), rest = right, step = right;
  double squares = dot(rest, rest);
  const double enough = kEnough * kEnough * squares;
  for (int round = 0; round < kRounds && squares > enough; ++round) {
    checkpoint();
    const Weights moved = product(step);
    const double far = squares / dot(step, moved);
    for (std::size_t i = 0; i < k.values.size(); ++i) {
      k.values[i] += far * step.values[i];
      rest.values[i] -= far * moved.values[i];
    }
    const double next = dot(rest, rest);
    for (std::size_t i = 0; i < k.values.size(); ++i) step.values[i] = rest.values[i] + next / squares * step.values[i];
    squares = next;
  }
  return k;
}

}  // namespace sieve::internal
