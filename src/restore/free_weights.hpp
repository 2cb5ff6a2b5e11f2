#pragma once
// The weights of a PSF of which no more is known than its size.

#include <cstddef>
#include <vector>

namespace sieve::internal {

// A square of odd side.
struct Weights {
  explicit Weights(int s) : side(s), values(static_cast<std::size_t>(s) * static_cast<std::size_t>(s)) {}
  double& at(int x, int y) { return values[static_cast<std::size_t>(y * side + x)]; }
  double at(int x, int y) const { return values[static_cast<std::size_t>(y * side + x)]; }
  // 0 outside.
  double anywhere(int x, int y) const { return x < 0 || y < 0 || x >= side || y >= side ? 0 : at(x, y); }

  int side;
  std::vector<double> values;
};

// On another square, larger by a factor, linearly between the weights; of sum 1.
Weights enlarged(const Weights& from, int side, double factor);

// What is weak and what hangs on nothing goes; of sum 1, its center of gravity in the middle. A single weight where
// nothing is above 0.
Weights tidied(Weights w);

// Least squares by conjugate gradients: sum over e of equations(d - e) k(e) = right(d), with a little of k itself.
// `equations` is the square of 2 side - 1 lags.
Weights solve(const std::vector<double>& equations, const Weights& right);

}  // namespace sieve::internal
