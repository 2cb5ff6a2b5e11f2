#pragma once
// The inner loops of the eigenvalue solver, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// column -= v * w_here + w * v_here; product += column * u_here; gives the sum of column * u. All of n numbers.
struct RankTwo {
  const double *v, *w, *u;
  double v_here, w_here, u_here;
};
double update_column(const RankTwo& r, double* column, double* product, std::size_t n);

// Plane rotations of neighboring columns of kPanelRows rows, one column behind the other: that of columns i and i + 1
// for i = first + count - 1 down to first, with cosines and sines in the order in which they are done.
inline constexpr std::size_t kPanelRows = 32;
void rotate_columns(const double* cosines, const double* sines, std::size_t first, std::size_t count, double* panel);

}  // namespace sieve::internal::lanes
