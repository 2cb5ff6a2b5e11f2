#pragma once
// The engine under convolution, correlation and the smoothing filters: correlation with a list of taps.

#include <optional>
#include "core/workspace.hpp"

#include "sieve/spatial/convolve.hpp"

namespace sieve::internal {

// The taps of a kernel, as they are or turned by 180 degrees.
class Taps {
 public:
  Taps(const Kernel& kernel, bool turned);
  // Divides all by a number.
  void divide(double by);
  int width() const { return width_; }
  int height() const { return height_; }
  int anchor_x() const { return anchor_x_; }
  int anchor_y() const { return anchor_y_; }
  const Scratch<double>& taps() const { return taps_; }
  double at(int x, int y) const {
    return taps_[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x)];
  }

 private:
  int width_, height_, anchor_x_, anchor_y_;
  Scratch<double> taps_;
};

// The column and the row whose product the taps are, to 1e-6 of the largest; see Kernel::separated().
struct Separated {
  Scratch<double> column, row;
};
std::optional<Separated> separated(const Taps& taps);

// What a correlation does, kernel already turned where it has to be.
struct Correlation {
  const Taps& kernel;
  Border border;
  float fill;
  int stride;
};

// All color channels, and alpha, by the method that is asked for or chosen; any border but `full`.
void correlate(const char* who, const Taps& kernel, Border border, Real fill, int stride, ConvolutionMethod method,
               const ConstView& in, const View& out);

// Results to a side of n samples for k taps.
int result_size(int n, int k, Border border, int stride);

// One channel, by each of the three ways. `out` has the shape that result_size says.
void correlate_direct(const ConstView& in, const Correlation& c, const View& out);
void correlate_fourier(const ConstView& in, const Correlation& c, const View& out);

// Two passes: weights `row` along x with the anchor at row_anchor, then `column` along y.
struct SeparablePasses {
  Scratch<float> row;
  Scratch<float> column;
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
