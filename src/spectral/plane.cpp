#include "spectral/plane.hpp"

#include <algorithm>
#include <memory>
#include <type_traits>
#include <vector>

#include "core/of_thread.hpp"
#include "core/rows.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "spectral/line_dct.hpp"

namespace sieve {

using namespace internal;

namespace {

// Columns that are taken together: a cache line of each row.
template <class T>
constexpr int kTogether = static_cast<int>(64 / sizeof(T));

// Gathers a block of columns into lines, works on each, writes them back. row(y) is where row y starts.
template <class T, class Row, class Work>
void in_columns(int columns, int height, std::size_t cost, Row row, Work work) {
  constexpr int block = kTogether<T>;
  parallel_rows((columns + block - 1) / block, RowCost(static_cast<std::size_t>(height) * block, cost),
                [&](int first, int last) {
                  // Lines an odd number of cache lines apart, so that they do not meet in the same places of the cache.
                  const std::size_t stride =
                      (static_cast<std::size_t>(height) * sizeof(T) / 64 / 2 * 2 + 3) * 64 / sizeof(T);
                  const FftArray<T> lines(stride * block);
                  for (int b = first; b < last; ++b) {
                    checkpoint();
                    const int x0 = b * block, n = std::min(block, columns - x0);
                    for (int y = 0; y < height; ++y) {
                      const T* from = row(y) + x0;
                      for (int i = 0; i < n; ++i)
                        lines[static_cast<std::size_t>(i) * stride + static_cast<std::size_t>(y)] = from[i];
                    }
                    for (int i = 0; i < n; ++i) work(x0 + i, lines.data() + static_cast<std::size_t>(i) * stride);
                    for (int y = 0; y < height; ++y) {
                      T* to = row(y) + x0;
                      for (int i = 0; i < n; ++i)
                        to[i] = lines[static_cast<std::size_t>(i) * stride + static_cast<std::size_t>(y)];
                    }
                  }
                },
                std::max(1, columns / block / 64));
}

}  // namespace

template <class T>
void internal::forward_rows(const ConstView& in, int width, Border border, const HalfPlane<T>& spectrum) {
  const auto fft_plan = LineFft<T>::of(width);
  const LineFft<T>& fft = *fft_plan;
  parallel_rows(spectrum.height, RowCost(width, 4), [&](int first, int last) {
    const FftArray<T> line(static_cast<std::size_t>(width));
    const FftArray<float> samples(std::is_same_v<T, float> ? 0 : static_cast<std::size_t>(width));
    for (int y = first; y < last; ++y) {
      const int from = border == Border::zero && y >= in.height()
                           ? -1
                           : *border_index(y, in.height(), border == Border::zero ? Border::edge : border);
      if (from < 0) {
        std::fill_n(line.data(), width, T(0));
      } else if constexpr (std::is_same_v<T, float>) {
        rows::extend(in, from, 0, width, border, 0, line.data());
      } else {
        rows::extend(in, from, 0, width, border, 0, samples.data());
        std::copy_n(samples.data(), width, line.data());
      }
      fft.forward(line.data(), spectrum.row(y));
    }
  });
}

template <class T>
void internal::inverse_rows(const HalfPlane<T>& spectrum, int width, double scale, const View& out) {
  const auto fft_plan = LineFft<T>::of(width);
  const LineFft<T>& fft = *fft_plan;
  parallel_rows(out.height(), RowCost(width, 4), [&](int first, int last) {
    const FftArray<T> line(static_cast<std::size_t>(width));
    for (int y = first; y < last; ++y) {
      fft.inverse(spectrum.row(y), line.data());
      float* r = out.row(y);
      for (int x = 0; x < out.width(); ++x)
        r[x] = static_cast<float>(line[static_cast<std::size_t>(x)] * static_cast<T>(scale));
    }
  });
}

template <class T>
void internal::each_column(const HalfPlane<T>& s, const std::function<void(int u, std::complex<T>* line)>& work) {
  in_columns<std::complex<T>>(
      s.columns, s.height, 8, [&](int y) { return s.row(y); }, work);
}

template void internal::forward_rows(const ConstView&, int, Border, const HalfPlane<float>&);
template void internal::forward_rows(const ConstView&, int, Border, const HalfPlane<double>&);
template void internal::inverse_rows(const HalfPlane<float>&, int, double, const View&);
template void internal::inverse_rows(const HalfPlane<double>&, int, double, const View&);
template void internal::each_column(const HalfPlane<float>&, const std::function<void(int, std::complex<float>*)>&);
template void internal::each_column(const HalfPlane<double>&, const std::function<void(int, std::complex<double>*)>&);

void internal::filter_fourier(const ConstView& in, int width, int height, Border border,
                              const std::function<void(int u, std::complex<float>* column)>& change, const View& out) {
  const HalfPlane<float> s(width, height);
  forward_rows(in, width, border, s);
  const auto fft_plan = LineFft<float>::of(height);
  const LineFft<float>& fft = *fft_plan;
  each_column<float>(s, [&](int u, std::complex<float>* line) {
    fft.forward(line);
    change(u, line);
    fft.inverse(line);
  });
  inverse_rows(s, width, 1.0 / (static_cast<double>(width) * height), out);
}

namespace {

void transform_rows(const ConstView& in, const View& out, bool forward) {
  const auto dct_plan = LineDct<float>::of(in.width());
  const LineDct<float>& dct = *dct_plan;
  parallel_rows(in.height(), RowCost(in.width(), 4), [&](int first, int last) {
    const LineDct<float>::Scratch scratch(in.width());
    for (int y = first; y < last; ++y)
      forward ? dct.forward(in.row(y), out.row(y), scratch) : dct.inverse(in.row(y), out.row(y), scratch);
  });
}

// work(dct, scratch, u, line) for every column of the rows that row(y) gives.
template <class T, class Row, class Work>
void cosine_columns(int width, int height, Row row, Work work) {
  const auto dct_plan = LineDct<T>::of(height);
  const LineDct<T>& dct = *dct_plan;
  in_columns<T>(width, height, 8, row, [&](int u, T* line) {
    auto& kept = of_thread<std::pair<int, std::unique_ptr<typename LineDct<T>::Scratch>>, struct CosineColumns>();
    if (kept.first != height) kept = {height, std::make_unique<typename LineDct<T>::Scratch>(height)};
    work(dct, *kept.second, u, line);
  });
}

template <class Work>
void cosine_columns(const View& plane, Work work) {
  cosine_columns<float>(
      plane.width(), plane.height(), [&](int y) { return plane.row(y); }, work);
}

using Dct = LineDct<float>;

}  // namespace

void internal::filter_cosine(const ConstView& in, const std::function<void(int u, float* column)>& change,
                             const View& out) {
  transform_rows(in, out, true);
  cosine_columns(out, [&](const Dct& dct, const Dct::Scratch& s, int u, float* line) {
    dct.forward(line, line, s);
    change(u, line);
    dct.inverse(line, line, s);
  });
  transform_rows(out, out, false);
}

void internal::forward_cosine(const ConstView& in, const View& out) {
  transform_rows(in, out, true);
  cosine_columns(out, [](const Dct& dct, const Dct::Scratch& s, int, float* line) { dct.forward(line, line, s); });
}

void internal::inverse_cosine(const ConstView& in, const View& out) {
  transform_rows(in, out, false);
  cosine_columns(out, [](const Dct& dct, const Dct::Scratch& s, int, float* line) { dct.inverse(line, line, s); });
}

void internal::cosine_rows(const ConstView& in, const CosinePlane& plane) {
  const auto dct_plan = LineDct<double>::of(plane.width);
  const LineDct<double>& dct = *dct_plan;
  parallel_rows(plane.height, RowCost(plane.width, 4), [&](int first, int last) {
    const LineDct<double>::Scratch scratch(plane.width);
    for (int y = first; y < last; ++y) {
      std::copy_n(in.row(y), plane.width, plane.row(y));
      dct.forward(plane.row(y), plane.row(y), scratch);
    }
  });
}

void internal::each_cosine_column(
    const CosinePlane& plane,
    const std::function<void(const LineDct<double>& dct, const LineDct<double>::Scratch& scratch, int u, double* line)>&
        work) {
  cosine_columns<double>(
      plane.width, plane.height, [&](int y) { return plane.row(y); }, work);
}

void internal::cosine_rows_back(const CosinePlane& plane, const View& out) {
  const auto dct_plan = LineDct<double>::of(plane.width);
  const LineDct<double>& dct = *dct_plan;
  parallel_rows(plane.height, RowCost(plane.width, 4), [&](int first, int last) {
    const LineDct<double>::Scratch scratch(plane.width);
    for (int y = first; y < last; ++y) {
      dct.inverse(plane.row(y), plane.row(y), scratch);
      std::transform(plane.row(y), plane.row(y) + plane.width, out.row(y),
                     [](double v) { return static_cast<float>(v); });
    }
  });
}

}  // namespace sieve
