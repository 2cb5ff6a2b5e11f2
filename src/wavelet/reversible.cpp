#include "sieve/wavelet/reversible.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

namespace {

using Number = std::int32_t;

// Both steps for rows of `m` numbers each: `even(i)` and `odd(i)` give row i of either kind, for i in its range; n
// samples long.
template <class Even, class Odd, class Step>
void each_odd(int n, Even even, Odd odd, Step step) {
  for (int i = 0; i < n / 2; ++i) step(odd(i), even(i), even(*border_index(2 * i + 2, n, Border::reflect) / 2));
}
template <class Even, class Odd, class Step>
void each_even(int n, Even even, Odd odd, Step step) {
  for (int i = 0; n > 1 && i < (n + 1) / 2; ++i)
    step(even(i), odd(*border_index(2 * i - 1, n, Border::reflect) / 2),
         odd(*border_index(2 * i + 1, n, Border::reflect) / 2));
}

Number half(Number a, Number b) { return (a + b) >> 1; }
Number quarter(Number a, Number b) { return (a + b + 2) >> 2; }

void row_forward(Number* row, int n, std::vector<Number>& copy) {
  copy.assign(row, row + n);
  const int lows = (n + 1) / 2;
  const auto even = [&](int i) { return row + i; };
  const auto odd = [&](int i) { return row + lows + i; };
  for (int i = 0; i < lows; ++i) row[i] = copy[static_cast<std::size_t>(2 * i)];
  for (int i = 0; i < n / 2; ++i) row[lows + i] = copy[static_cast<std::size_t>(2 * i + 1)];
  each_odd(n, even, odd, [](Number* o, const Number* e, const Number* f) { *o -= half(*e, *f); });
  each_even(n, even, odd, [](Number* e, const Number* p, const Number* q) { *e += quarter(*p, *q); });
}

void row_inverse(Number* row, int n, std::vector<Number>& copy) {
  const int lows = (n + 1) / 2;
  const auto even = [&](int i) { return row + i; };
  const auto odd = [&](int i) { return row + lows + i; };
  each_even(n, even, odd, [](Number* e, const Number* p, const Number* q) { *e -= quarter(*p, *q); });
  each_odd(n, even, odd, [](Number* o, const Number* e, const Number* f) { *o += half(*e, *f); });
  copy.assign(row, row + n);
  for (int i = 0; i < n; ++i) row[i] = copy[static_cast<std::size_t>(i % 2 == 0 ? i / 2 : lows + i / 2)];
}

// Down the columns: the same steps with whole rows as numbers, on a copy of some columns with the rows in order of
// kind.
void columns(Number* plane, std::ptrdiff_t stride, int width, int height, bool forward) {
  const int together = std::min(64, width);
  parallel_rows((width + together - 1) / together, static_cast<std::size_t>(height) * together,
                [&](int first, int last) {
                  std::vector<Number> block(static_cast<std::size_t>(height) * together);
                  for (int b = first; b < last; ++b) {
                    const int x0 = b * together, m = std::min(together, width - x0), lows = (height + 1) / 2;
                    const auto sorted = [&](int y) {
                      return block.data() + static_cast<std::ptrdiff_t>(y % 2 == 0 ? y / 2 : lows + y / 2) * together;
                    };
                    for (int y = 0; y < height; ++y)
                      std::copy_n(plane + y * stride + x0, m,
                                  forward ? sorted(y) : block.data() + static_cast<std::ptrdiff_t>(y) * together);
                    const auto even = [&](int i) { return block.data() + static_cast<std::ptrdiff_t>(i) * together; };
                    const auto odd = [&](int i) {
                      return block.data() + static_cast<std::ptrdiff_t>(lows + i) * together;
                    };
                    const auto odds = [&](Number sign) {
                      each_odd(height, even, odd, [&](Number* o, const Number* e, const Number* f) {
                        for (int x = 0; x < m; ++x) o[x] += sign * half(e[x], f[x]);
                      });
                    };
                    const auto evens = [&](Number sign) {
                      each_even(height, even, odd, [&](Number* e, const Number* p, const Number* q) {
                        for (int x = 0; x < m; ++x) e[x] += sign * quarter(p[x], q[x]);
                      });
                    };
                    if (forward) {
                      odds(-1);
                      evens(1);
                    } else {
                      evens(-1);
                      odds(1);
                    }
                    for (int y = 0; y < height; ++y)
                      std::copy_n(forward ? block.data() + static_cast<std::ptrdiff_t>(y) * together : sorted(y), m,
                                  plane + y * stride + x0);
                  }
                },
                1);
}

void check_plane(std::span<Number> plane, int width, int height, int levels) {
  if (width < 1 || height < 1 || plane.size() != static_cast<std::size_t>(width) * static_cast<std::size_t>(height)) {
    throw InvalidArgument(
        fmt::format("reversible wavelet: {} numbers are no plane of {}x{}", plane.size(), width, height));
  }
  if (levels < 0 || levels > 32)
    throw InvalidArgument(fmt::format("reversible wavelet: levels={}: give 0 to 32", levels));
}

template <class Row>
void rows_of(Number* plane, std::ptrdiff_t stride, int width, int height, Row row) {
  parallel_rows(height, RowCost(width, 2), [&](int first, int last) {
    std::vector<Number> copy;
    for (int y = first; y < last; ++y) row(plane + y * stride, width, copy);
  });
}

}  // namespace

void reversible_forward(std::span<Number> plane, int width, int height, int levels) {
  check_plane(plane, width, height, levels);
  for (int j = 0, w = width, h = height; j < levels; ++j, w = (w + 1) / 2, h = (h + 1) / 2) {
    rows_of(plane.data(), width, w, h, row_forward);
    columns(plane.data(), width, w, h, true);
  }
}

void reversible_inverse(std::span<Number> plane, int width, int height, int levels) {
  check_plane(plane, width, height, levels);
  std::vector<std::pair<int, int>> sizes;
  for (int j = 0, w = width, h = height; j < levels; ++j, w = (w + 1) / 2, h = (h + 1) / 2) sizes.emplace_back(w, h);
  while (!sizes.empty()) {
    const auto [w, h] = sizes.back();
    sizes.pop_back();
    columns(plane.data(), width, w, h, false);
    rows_of(plane.data(), width, w, h, row_inverse);
  }
}

}  // namespace sieve
