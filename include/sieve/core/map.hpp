#pragma once
/// One's own operation without ceremony: a function of a sample, of two pictures' samples, or of a window.

#include <cstring>
#include <type_traits>
#include <utility>

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/image.hpp"
#include "sieve/core/lanes.hpp"
#include "sieve/core/parallel.hpp"

namespace SIEVE_EXPORT sieve {

/// f(v) for every sample v of the color channels, in parallel: `map_samples(in, out, [](float v) { return 1 - v; })`.
/// `f` takes and returns a float and is called from many threads at once. `out` has the shape of `in` and may be
/// exactly `in`. Alpha is copied. O(samples).
template <class F>
void map_samples(const ConstView& in, const View& out, F f) {
  require_output_or_same(in, out, in.shape, "map_samples");
  const int color = in.shape.color_channels();
  parallel_rows(in.height() * color, in.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const float* a = in.row(i % in.height(), i / in.height());
      float* r = out.row(i % in.height(), i / in.height());
      internal::each_sample(r, static_cast<std::size_t>(in.width()), [&](std::size_t x) { return f(a[x]); });
    }
  });
  copy_alpha(in, out);
}

/// The same in a picture of its own, as float data: nobody knows what `f` does, and writing the result must not fall
/// back to the 8 bits of `in` without a word. Where its results stay within 0..1, set_white_level(in.white_level) says
/// so.
template <class F>
[[nodiscard]] Image map_samples(const ConstView& in, F f) {
  require_input(in, "map_samples");
  Image out(in.shape);
  map_samples(in, out.view(), f);
  return out;
}

/// InvalidArgument where `second` does not go with a picture of shape `first`; see map_pairs.
void require_second(const ConstView& second, const Shape& first, const char* who);

/// The checks of two pictures that are worked on together and of their result; see map_pairs.
void require_pair(const ConstView& a, const ConstView& b, const View& out, const char* who);

/// f(a, b) for every pair of samples at the same place of two pictures of one shape, in parallel, into `out`, which has
/// the shape of `a` and may be exactly `a` or, with as many channels, exactly `b`. A gray second picture serves every
/// channel of the first. Alpha is the first picture's. InvalidArgument where the shapes do not fit.
template <class F>
void map_pairs(const ConstView& a, const ConstView& b, const View& out, F f) {
  require_pair(a, b, out, "map_pairs");
  const int color = a.shape.color_channels(), other = b.shape.color_channels();
  parallel_rows(a.height() * color, a.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % a.height(), c = i / a.height();
      const float *p = a.row(y, c), *q = b.row(y, other == 1 ? 0 : c);
      float* r = out.row(y, c);
      for (int x = 0; x < a.width(); ++x) r[x] = f(p[x], q[x]);
    }
  });
  copy_alpha(a, out);
}

/// The same in a picture of its own, as float data (see map_samples).
template <class F>
[[nodiscard]] Image map_pairs(const ConstView& a, const ConstView& b, F f) {
  require_input(a, "map_pairs");
  Image out(a.shape);
  map_pairs(a, b, out.view(), f);
  return out;
}

/// The square neighborhood of one pixel, as map_windows hands it to a function: window(dx, dy) for dx and dy in
/// -reach..reach; beyond the picture it holds what the border says.
class Window {
 public:
  /// Of the sample `center` in rows `stride` samples apart.
  Window(const float* center, std::ptrdiff_t stride, int reach) : center_(center), stride_(stride), reach_(reach) {}
  /// The sample dx to the right and dy below; no check.
  float operator()(int dx, int dy) const { return center_[dy * stride_ + dx]; }
  /// The half-width that map_windows was called with.
  int reach() const { return reach_; }
  /// The same of another half-width.
  Window with_reach(int reach) const { return {center_, stride_, reach}; }

 private:
  const float* center_;
  std::ptrdiff_t stride_;
  int reach_;
};

/// The same for sixteen pixels side by side: window(dx, dy) holds their sixteen neighbors there. A function that takes
/// it and gives Lanes runs as fast as a convolution of the library's own.
class LaneWindow {
 public:
  /// Of the samples from `center` on, in rows `stride` samples apart.
  LaneWindow(const float* center, std::ptrdiff_t stride, int reach) : center_(center), stride_(stride), reach_(reach) {}
  /// The samples dx to the right and dy below; no check.
  Lanes operator()(int dx, int dy) const { return Lanes::load(center_ + dy * stride_ + dx); }
  /// The half-width that map_windows was called with.
  int reach() const { return reach_; }
  /// The same of another half-width.
  LaneWindow with_reach(int reach) const { return {center_, stride_, reach}; }

 private:
  const float* center_;
  std::ptrdiff_t stride_;
  int reach_;
};

/// Copies the samples x0-reach..x0+width+reach-1 of rows y-reach..y+reach of one channel, with the border filled
/// in, into `buffer`; used by map_windows.
void fill_window_rows(const ConstView& channel, int first_row, int rows, int reach, Border border, float fill,
                      float* buffer, std::ptrdiff_t stride);

namespace internal {

// The checks of map_windows.
void require_windows(const ConstView& in, const View& out, int reach, Border border);

// Rows of samples with what lies around them, in memory that is used again.
class WindowRows {
 public:
  WindowRows(int rows, std::ptrdiff_t stride);
  ~WindowRows();
  WindowRows(const WindowRows&) = delete;
  WindowRows& operator=(const WindowRows&) = delete;
  float* data() const { return data_; }

 private:
  std::size_t bytes_;
  float* data_;
};

// Rows in one go at most: they are to stay in the cache.
int window_strip(int width, int height, int reach);

// f with windows whose half-width the compiler knows.
template <int Reach, class F>
auto with_reach(F f) {
  if constexpr (std::is_invocable_r_v<float, const F&, const Window&>) {
    return [f](const Window& w) { return f(w.with_reach(Reach)); };
  } else {
    return [f](const LaneWindow& w) { return f(w.with_reach(Reach)); };
  }
}

// f for the windows of `width` pixels from `center` on.
template <class F>
void window_row(const float* center, std::ptrdiff_t stride, int reach, float* out, int width, const F& f) {
  if constexpr (std::is_invocable_r_v<float, const F&, const Window&>) {
    for (int x = 0; x < width; ++x) out[x] = f(Window(center + x, stride, reach));
  } else {
    static_assert(std::is_invocable_r_v<Lanes, const F&, const LaneWindow&>,
                  "a function of a window takes a const Window& and gives a float, or a const LaneWindow& and Lanes");
    int x = 0;
    for (; x + Lanes::count <= width; x += Lanes::count) f(LaneWindow(center + x, stride, reach)).store(out + x);
    if (x == width) return;
    // The rows of the buffer go on far enough.
    float rest[Lanes::count];
    f(LaneWindow(center + x, stride, reach)).store(rest);
    std::memcpy(out + x, rest, static_cast<std::size_t>(width - x) * sizeof(float));
  }
}

template <class F>
void run_windows(const ConstView& in, const View& out, int reach, Border border, const F& f, float fill) {
  require_windows(in, out, reach, border);
  const std::ptrdiff_t stride =
      static_cast<std::ptrdiff_t>(in.width()) + 2 * static_cast<std::ptrdiff_t>(reach) + Lanes::count;
  if (border == Border::zero) fill = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView plane = in.channel(c);
    parallel_rows(
        in.height(), RowCost(in.width(), 8),
        [&](int first, int last) {
          const int rows = last - first + 2 * reach;
          const WindowRows buffer(rows, stride);
          fill_window_rows(plane, first - reach, rows, reach, border, fill, buffer.data(), stride);
          for (int y = first; y < last; ++y)
            window_row(buffer.data() + (y - first + reach) * stride + reach, stride, reach, out.row(y, c), in.width(),
                       f);
        },
        window_strip(in.width(), in.height(), reach));
  }
  copy_alpha(in, out);
}

}  // namespace internal

/// f(window) for every pixel of every color channel, in parallel, into `out`, which has the input's shape and shares no
/// sample with it. `f` takes a const Window& and gives a float, or a const LaneWindow& and gives Lanes, which is
/// several times as fast. `reach` is the half-width of the window in pixels (0 or more): 1 means 3 by 3. `fill` is used
/// with Border::constant; InvalidArgument for Border::inside (crop the result instead), full and taper, which are no
/// samples beyond the picture. Alpha is copied. O(samples * cost of f).
template <class F>
void map_windows(const ConstView& in, const View& out, int reach, Border border, F f, float fill = 0) {
  internal::run_windows(in, out, reach, border, f, fill);
}

/// The same in a picture of its own, as float data (see map_samples).
template <class F>
[[nodiscard]] Image map_windows(const ConstView& in, int reach, Border border, F f, float fill = 0) {
  require_input(in, "map_windows");
  Image out(in.shape);
  map_windows(in, out.view(), reach, border, f, fill);
  return out;
}

/// The same with a half-width that is known when it is compiled, so that loops over the window are unrolled: `Reach` 1
/// means 3 by 3.
template <int Reach, class F>
void map_windows(const ConstView& in, const View& out, Border border, F f, float fill = 0) {
  static_assert(Reach >= 0, "a half-width starts at 0");
  // The function sees the constant once it is inlined: its window is made where that is known.
  internal::run_windows(in, out, Reach, border, internal::with_reach<Reach>(std::move(f)), fill);
}

/// The same in a picture of its own.
template <int Reach, class F>
[[nodiscard]] Image map_windows(const ConstView& in, Border border, F f, float fill = 0) {
  require_input(in, "map_windows");
  Image out(in.shape);
  map_windows<Reach>(in, out.view(), border, std::move(f), fill);
  return out;
}

}  // namespace sieve
