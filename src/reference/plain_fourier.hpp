#pragma once
#include <complex>
#include <vector>

namespace sieve::internal {

// The two-dimensional Fourier transform of h rows of w numbers by its sums, along rows, then columns: sign -1 forward,
// 1 back, not normalized. O(w h (w + h)).
void fourier_by_sums(std::vector<std::complex<double>>& plane, int w, int h, int sign);

}  // namespace sieve::internal
