#pragma once
// Inner loops of total variation denoising, on SIMD lanes chosen at run time. All buffers have room for 16 samples more
// than are asked for, which are read and, but for the sums, written.

#include <cstddef>

namespace sieve::internal::lanes {

// (x, y) += step * (forward differences of `ahead`, with `below` its next row), put back to length 1 at most where
// longer; for 1 or 3 channels together. ahead holds one sample more at its end.
struct DualRows {
  const float *ahead[3], *below[3];
  float *x[3], *y[3];
};
void dual_step(const DualRows& rows, int channels, float step, std::size_t n);

// With d = x[i] - x[i - 1] + y[i] - above[i]: u goes by `share` toward f + weight * d, and `ahead` lies `momentum`
// times that way beyond it. x[-1] is read; above may be null for 0.
struct PrimalRows {
  const float *f, *x, *y, *above;
  float *u, *ahead;
};
void primal_step(const PrimalRows& rows, float weight, float share, float momentum, std::size_t n);

// What account() reads of each channel: u with one sample more at its end, `below` its next row. Whole vectors are
// read, at most 16 samples past the end.
struct ResultRows {
  const float *f[3], *u[3], *below[3], *x[3], *y[3], *above[3];
};

// Sums over a row, in double: lengths of the gradient of u, these less gradient times dual (never below 0 but for
// rounding), squares of u - f, and of u - (f + weight * d).
struct Sums {
  double length = 0, slack = 0, squares = 0, apart = 0;
};
Sums account(const ResultRows& rows, int channels, float weight, std::size_t n);

}  // namespace sieve::internal::lanes
