#pragma once
/// One's own operation without ceremony: a function of a sample, of two pictures' samples, or of a window.

#include <string>
#include <type_traits>
#include <vector>

#include "sieve/core/border.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/image.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve {

/// f(v) for every sample v of the color channels, in parallel: `map_samples(in, [](float v) { return 1 - v; })`.
/// `f` takes and returns a float and is called from many threads at once. Alpha is copied. O(samples).
template <class F>
void map_samples(const ConstView& in, const View& out, F f) {
  require_output(in, out, in.shape, "map_samples");
  const int color = in.shape.color_channels();
  parallel_rows(in.height() * color, in.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const float* a = in.row(i % in.height(), i / in.height());
      float* r = out.row(i % in.height(), i / in.height());
      for (int x = 0; x < in.width(); ++x) r[x] = f(a[x]);
    }
  });
  copy_alpha(in, out);
}

template <class F>
Image map_samples(const ConstView& in, F f) {
  require_input(in, "map_samples");
  Image out(in.shape, in.white_level);
  map_samples(in, out.view(), f);
  return out;
}

/// f(a, b) for every pair of samples at the same place of two pictures of one shape, in parallel. A gray second
/// picture serves every channel of the first. Alpha is the first picture's. InvalidArgument where the shapes do not
/// fit.
template <class F>
Image map_pairs(const ConstView& a, const ConstView& b, F f) {
  require_input(a, "map_pairs");
  require_input(b, "map_pairs");
  const int color = a.shape.color_channels(), other = b.shape.color_channels();
  if (a.width() != b.width() || a.height() != b.height() || (other != 1 && other != color)) {
    throw InvalidArgument(std::string("two pictures of ") + text_of(a.shape).text + " and " + text_of(b.shape).text +
                          ": they must be of one size, and the second gray or with the same channels");
  }
  Image result(a.shape, a.white_level);
  const View out = result.view();
  parallel_rows(a.height() * color, a.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % a.height(), c = i / a.height();
      const float *p = a.row(y, c), *q = b.row(y, other == 1 ? 0 : c);
      float* r = out.row(y, c);
      for (int x = 0; x < a.width(); ++x) r[x] = f(p[x], q[x]);
    }
  });
  copy_alpha(a, out);
  return result;
}

/// The square neighborhood of one pixel, as map_windows hands it to a function: window(dx, dy) for dx and dy in
/// -reach..reach; beyond the picture it holds what the border says.
class Window {
 public:
  Window(const float* center, std::ptrdiff_t stride, int reach) : center_(center), stride_(stride), reach_(reach) {}
  float operator()(int dx, int dy) const { return center_[dy * stride_ + dx]; }
  int reach() const { return reach_; }

 private:
  const float* center_;
  std::ptrdiff_t stride_;
  int reach_;
};

/// Copies the samples x0-reach..x0+width+reach-1 of rows y-reach..y+reach of one channel, with the border filled
/// in, into `buffer`; used by map_windows.
void fill_window_rows(const ConstView& channel, int first_row, int rows, int reach, Border border, float fill,
                      float* buffer, std::ptrdiff_t stride);

/// f(window) for every pixel of every color channel, in parallel; the result has the input's size. `reach` is the
/// half-width of the window in pixels (0 or more): 1 means 3 by 3. `fill` is used with Border::constant;
/// InvalidArgument for Border::inside (crop the result instead), full and taper, which are no samples beyond the
/// picture. Alpha is copied. O(samples * cost of f).
template <class F>
Image map_windows(const ConstView& in, int reach, Border border, F f, float fill = 0) {
  require_input(in, "map_windows");
  if (reach < 0) throw InvalidArgument("map_windows: reach=" + std::to_string(reach) + ": it starts at 0");
  if (border == Border::inside || border == Border::full || border == Border::taper)
    throw InvalidArgument(
        "map_windows: border inside, full or taper: give edge, mirror, reflect, wrap, zero or constant, and crop or "
        "pad");
  Image result(in.shape, in.white_level);
  const View out = result.view();
  const std::ptrdiff_t stride = static_cast<std::ptrdiff_t>(in.width()) + 2 * static_cast<std::ptrdiff_t>(reach);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView plane = in.channel(c);
    parallel_rows(in.height(), RowCost(in.width(), 8), [&](int first, int last) {
      const int rows = last - first + 2 * reach;
      std::vector<float> buffer(static_cast<std::size_t>(stride) * static_cast<std::size_t>(rows));
      fill_window_rows(plane, first - reach, rows, reach, border, border == Border::zero ? 0 : fill, buffer.data(),
                       stride);
      for (int y = first; y < last; ++y) {
        const float* center = buffer.data() + (y - first + reach) * stride + reach;
        float* r = out.row(y, c);
        for (int x = 0; x < in.width(); ++x) r[x] = f(Window(center + x, stride, reach));
      }
    });
  }
  copy_alpha(in, out);
  return result;
}

}  // namespace sieve
