#pragma once
// The one way from floating point to integers where the value is not known to fit: a cast of what does not fit is
// undefined behavior, and on some instruction sets an index far outside of its table.

#include <limits>

namespace sieve::internal {

// v rounded toward zero and limited to low..high; NaN gives low.
template <class Integer, class Real>
constexpr Integer to_integer(Real v, Integer low = std::numeric_limits<Integer>::min(),
                             Integer high = std::numeric_limits<Integer>::max()) {
  if (!(v > static_cast<Real>(low))) return low;
  return v >= static_cast<Real>(high) ? high : static_cast<Integer>(v);
}

}  // namespace sieve::internal
