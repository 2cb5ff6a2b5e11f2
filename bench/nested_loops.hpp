#pragma once
// What a developer writes first: nested loops over samples, one thread, no thought of the machine. Compiled like the
// library.

#include <vector>

namespace sieve::bench {

// Rows of `width` samples, one after the other.
struct Samples {
  int width = 0, height = 0;
  std::vector<float> at;
};

// Convolution with a side x side kernel, the edge repeated.
void convolve_by_loops(const Samples& in, const std::vector<float>& kernel, int side, Samples& out);
// The median of (2 radius + 1)^2 samples, the edge repeated.
void median_by_loops(const Samples& in, int radius, Samples& out);
// Equalization over 256 levels.
void equalize_by_loops(const Samples& in, Samples& out);

}  // namespace sieve::bench
