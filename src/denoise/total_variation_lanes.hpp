#pragma once
// Inner loops of total variation denoising, on SIMD lanes chosen at run time. All buffers have room for 16 samples more than
// are asked for, which are read and, but for the sums, written.

#include <cstddef>

namespace sieve::lanes {

// p + beta * (p - before).
void extrapolate(const float* p, const float* before, float beta, float* out, std::size_t n);

// u = f + weight * (x[i] - x[i - 1] + y[i] - above[i]); x[-1] is read. above may be null for 0.
void divergence_step(const float* f, const float* x, const float* y, const float* above, float weight, float* u, std::size_t n);

// (x, y) + step * (forward differences of u, with `below` the next row), put back to length 1 at most where longer; for
// 1 or 3 channels together. u and below hold one sample more at their ends.
struct DualRows {
  const float* u[3];
  const float* below[3];
  const float *x[3], *y[3];  // where the step starts
  float *to_x[3], *to_y[3];
};
void project(const DualRows& rows, int channels, float step, std::size_t n);

// Sums over a row, in double: lengths of the gradient, gradient times dual, and squares of u - f.
struct Sums {
  double length = 0, inner = 0, squares = 0;
};
Sums account(const DualRows& rows, const float* const* f, int channels, std::size_t n);

}  // namespace sieve::lanes
