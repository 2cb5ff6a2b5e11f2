#pragma once
// Transforms of whole channels on threads: rows, then columns in blocks that stay in the cache.

#include <complex>
#include <functional>

#include "fft/fft.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"
#include "spectral/line_dct.hpp"

namespace sieve::internal {

// Rows of complex numbers, each aligned.
template <class T>
struct HalfPlane {
  HalfPlane(int width, int rows)
      : columns(width / 2 + 1),
        height(rows),
        stride((static_cast<std::size_t>(columns) + 7) / 8 * 8),
        values(stride * static_cast<std::size_t>(rows)) {}
  std::complex<T>* row(int y) const { return values.data() + static_cast<std::size_t>(y) * stride; }
  int columns, height;
  std::size_t stride;
  FftArray<std::complex<T>> values;
};

// The channel, continued by `border` to width x height, as the columns of a real transform see it: not normalized.
template <class T>
void forward_rows(const ConstView& in, int width, Border border, const HalfPlane<T>& spectrum);
// The first samples of every row back, times `scale`. Spoils the spectrum.
template <class T>
void inverse_rows(const HalfPlane<T>& spectrum, int width, double scale, const View& out);

// work(u, line) for every column u, in parallel; the line holds the column's numbers and is written back.
template <class T>
void each_column(const HalfPlane<T>& spectrum, const std::function<void(int u, std::complex<T>* line)>& work);

// Forward transform, change(u, column) with column[v] = F(u, v) of the whole column, and back, divided by the number of
// pixels. The channel is continued by `border` to width x height and repeats itself from there.
void filter_fourier(const ConstView& in, int width, int height, Border border,
                    const std::function<void(int u, std::complex<float>* column)>& change, const View& out);

// The same with the orthonormal cosine transform: what it does to a channel is a filter with mirrored borders.
// column[k] for k half periods over the height, the column for u half periods over the width.
void filter_cosine(const ConstView& in, const std::function<void(int u, float* column)>& change, const View& out);
void forward_cosine(const ConstView& in, const View& out);
void inverse_cosine(const ConstView& in, const View& out);

// Cosine coefficients in double.
struct CosinePlane {
  CosinePlane(int width_, int height_)
      : width(width_),
        height(height_),
        stride((static_cast<std::size_t>(width_) + 7) / 8 * 8),
        values(stride * static_cast<std::size_t>(height_)) {}
  double* row(int y) const { return values.data() + static_cast<std::size_t>(y) * stride; }
  int width, height;
  std::size_t stride;
  FftArray<double> values;
};
// Rows there and back, and work(dct, scratch, u, line) on every column in between.
void cosine_rows(const ConstView& in, const CosinePlane& plane);
void each_cosine_column(const CosinePlane& plane,
                        const std::function<void(const LineDct<double>& dct, const LineDct<double>::Scratch& scratch,
                                                 int u, double* line)>& work);
void cosine_rows_back(const CosinePlane& plane, const View& out);

}  // namespace sieve::internal
