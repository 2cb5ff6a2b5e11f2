#include "sieve/core/border.hpp"

#include <algorithm>

namespace sieve {

namespace {
int modulo(int i, int n) {
  const int r = i % n;
  return r < 0 ? r + n : r;
}
}  // namespace

std::optional<int> border_index(int i, int n, Border border) {
  if (i >= 0 && i < n) return i;
  switch (border) {
    case Border::edge:
      return std::clamp(i, 0, n - 1);
    case Border::mirror: {
      const int m = modulo(i, 2 * n);
      return m < n ? m : 2 * n - 1 - m;
    }
    case Border::reflect: {
      if (n == 1) return 0;
      const int m = modulo(i, 2 * n - 2);
      return m < n ? m : 2 * n - 2 - m;
    }
    case Border::wrap:
      return modulo(i, n);
    case Border::zero:
    case Border::constant:
    case Border::taper:
    case Border::inside:
    case Border::full:
      break;
  }
  return std::nullopt;
}

}  // namespace sieve
