#pragma once
// The engine under convolution, correlation and the smoothing filters: correlation with a list of taps.

#include "sieve/spatial/convolve.hpp"

namespace sieve::internal {

// What a correlation does, kernel already turned where it has to be.
struct Correlation {
  const Kernel& kernel;
  Border border;
  float fill;
  int stride;
};

// Results to a side of n samples for k taps.
int result_size(int n, int k, Border border, int stride);

// One channel, by each of the three ways. `out` has the shape that result_size says.
void correlate_direct(const ConstView& in, const Correlation& c, const View& out);
void correlate_fourier(const ConstView& in, const Correlation& c, const View& out);

// Two passes: weights `row` along x with the anchor at row_anchor, then `column` along y.
struct SeparablePasses {
  std::vector<float> row;
  std::vector<float> column;
  int row_anchor;
  int column_anchor;
};
void correlate_separable(const ConstView& in, const SeparablePasses& p, Border border, float fill, int stride,
                         const View& out);

// The samples of an alpha channel at the places of the results.
void sample_alpha(const ConstView& in, const Correlation& c, const View& out);

// The part of a picture where a window that reaches so far lies inside; InvalidArgument where there is none.
Rectangle inside_part(const Shape& in, int reach, const char* who);

}  // namespace sieve::internal
