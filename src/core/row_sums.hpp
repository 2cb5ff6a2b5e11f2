#pragma once
// Sums over a picture in double, row by row, so that threads do not change them.

#include <array>
#include <vector>

#include "sieve/core/image.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

// The sum of row(y) over all rows.
template <class Row>
double sum_of_rows(int height, RowCost cost, Row row) {
  std::vector<double> rows(static_cast<std::size_t>(height));
  parallel_rows(height, cost, [&](int first, int last) {
    for (int y = first; y < last; ++y) rows[static_cast<std::size_t>(y)] = row(y);
  });
  double all = 0;
  for (const double r : rows) all += r;
  return all;
}

// The mean of the squared differences of two planes.
inline double mean_square(const ConstView& a, const ConstView& b) {
  const double all = sum_of_rows(a.height(), RowCost(a.width(), 2), [&](int y) {
    constexpr int kLanes = 8;
    const float *p = a.row(y), *q = b.row(y);
    const auto square = [&](int x) {
      const auto d = static_cast<double>(p[x] - q[x]);
      return d * d;
    };
    // In lanes that a compiler can make vectors of.
    std::array<double, kLanes> sums{};
    int x = 0;
    for (; x + kLanes <= a.width(); x += kLanes) {
      for (int i = 0; i < kLanes; ++i) sums[static_cast<std::size_t>(i)] += square(x + i);
    }
    for (; x < a.width(); ++x) sums[0] += square(x);
    double row = 0;
    for (const double s : sums) row += s;
    return row;
  });
  return all / static_cast<double>(a.shape.pixels());
}

}  // namespace sieve::internal
