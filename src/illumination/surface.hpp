#pragma once
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::internal {

// A polynomial over the picture, coordinates -1..1 from its first to its last pixel.
class Surface {
 public:
  Surface(int degree, std::vector<double> weights) : degree_(degree), weights_(std::move(weights)) {}
  void draw(const View& out) const;

 private:
  int degree_;
  std::vector<double> weights_;  // of x^i y^j, j in 0..degree, i in 0..degree - j
};

// Least squares on block means of one channel, robust; see struct Background. Blocks without a finite sample do not
// count. Where too few blocks are left for the degree, lower terms stand alone.
Surface fit_surface(const ConstView& channel, int degree);

}  // namespace sieve::internal
