#include "restore/frame.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "fft/fft.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

namespace {

// A sample beyond a line of n: the mirror images of its end and of its beginning, and the share of the second.
struct Faded {
  int before, after;
  float share;
};
std::vector<Faded> faded(int n, int length) {
  std::vector<Faded> all;
  const int gap = length - n;
  for (int i = 0; i < gap; ++i) {
    all.push_back({std::max(0, n - 1 - i), std::min(n - 1, gap - 1 - i),
                   static_cast<float>(0.5 - 0.5 * std::cos(std::numbers::pi * (i + 1) / (gap + 1)))});
  }
  return all;
}

Image faded_over(const ConstView& in, const Frame& f) {
  Image out(Shape{f.width, f.height, in.channels()});
  const std::vector<Faded> across = faded(in.width(), f.width), down = faded(in.height(), f.height);
  for (int c = 0; c < in.channels(); ++c) {
    parallel_rows(in.height(), f.width, [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float* from = in.row(y, c);
        float* to = std::copy_n(from, in.width(), out.row(y, c));
        for (const Faded& x : across) *to++ = (1 - x.share) * from[x.before] + x.share * from[x.after];
      }
    });
    parallel_rows(static_cast<int>(down.size()), f.width, [&](int first, int last) {
      for (int i = first; i < last; ++i) {
        const Faded& y = down[static_cast<std::size_t>(i)];
        const float *a = out.row(y.before, c), *b = out.row(y.after, c);
        float* to = out.row(in.height() + i, c);
        for (int x = 0; x < f.width; ++x) to[x] = (1 - y.share) * a[x] + y.share * b[x];
      }
    });
  }
  return out;
}

}  // namespace

Frame frame_of(const Shape& s, const Kernel& psf, Border border) {
  // Less than a few samples leave no room to fade over.
  constexpr int kLeast = 8;
  if (border == Border::mirror) return {2 * s.width, 2 * s.height, border};
  if (border == Border::taper)
    return {good_fft_size(s.width + std::max(kLeast, psf.width())),
            good_fft_size(s.height + std::max(kLeast, psf.height())), border};
  return {s.width, s.height, Border::wrap};
}

double noise_share(const Shape& picture, const Frame& f) {
  if (f.border != Border::taper) return 1;
  return static_cast<double>(picture.pixels()) / (static_cast<double>(f.width) * f.height);
}

Image continued(const ConstView& in, const Frame& f) {
  if (f.border == Border::taper) return faded_over(in, f);
  Image out(Shape{f.width, f.height, in.channels()});
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < f.height; ++y) {
      for (int x = 0; x < f.width; ++x)
        out.at(x, y, c) = in.at(*border_index(x, in.width(), f.border), *border_index(y, in.height(), f.border), c);
    }
  }
  return out;
}

}  // namespace sieve::internal
