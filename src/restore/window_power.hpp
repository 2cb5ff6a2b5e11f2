#pragma once
// The power spectrum of a picture, window by window.

#include <complex>
#include <functional>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::internal {

// The mean power spectrum of windows of side x side samples under Hann's taper, each without its mean, half of each
// beside the next: side rows of side / 2 + 1 numbers. weight(spectrum) says how much a window counts.
std::vector<double> window_power(const ConstView& plane, int side,
                                 const std::function<double(const std::complex<float>* spectrum)>& weight);
// How many windows lie along a length.
inline int windows_along(int length, int side) { return (length - side) / (side / 2) + 1; }

}  // namespace sieve::internal
