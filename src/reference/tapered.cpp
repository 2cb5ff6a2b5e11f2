// What Border::taper means: the picture goes on, and beyond it is what the PSF can have blurred.

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "reference/frame.hpp"
#include "sieve/reference/restore.hpp"

namespace sieve {

using namespace internal;

namespace {

// The smallest even number of at least n with the factors 2, 3 and 5 alone.
int even_size(int n) {
  for (int size = n + n % 2;; size += 2) {
    int rest = size;
    for (const int factor : {2, 3, 5}) {
      while (rest % factor == 0) rest /= factor;
    }
    if (rest == 1) return size;
  }
}

// A line goes on as its mirror image, which fades over into the one before its beginning.
float beyond(const std::vector<float>& line, int i, int length) {
  const int n = static_cast<int>(line.size()), gap = length - n, k = i - n;
  if (k < 0) return line[static_cast<std::size_t>(i)];
  const double share = 0.5 - 0.5 * std::cos(std::numbers::pi * (k + 1) / (gap + 1));
  const auto at = [&](int place) { return static_cast<double>(line[static_cast<std::size_t>(place)]); };
  return static_cast<float>((1 - share) * at(std::max(0, n - 1 - k)) + share * at(std::min(n - 1, gap - 1 - k)));
}

Image faded_over(const ConstView& in, int width, int height) {
  Image wide(Shape{width, in.height(), in.channels()}), out(Shape{width, height, in.channels()});
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      std::vector<float> line;
      for (int x = 0; x < in.width(); ++x) line.push_back(in.at(x, y, c));
      for (int x = 0; x < width; ++x) wide.at(x, y, c) = beyond(line, x, width);
    }
    for (int x = 0; x < width; ++x) {
      std::vector<float> line;
      for (int y = 0; y < in.height(); ++y) line.push_back(wide.at(x, y, c));
      for (int y = 0; y < height; ++y) out.at(x, y, c) = beyond(line, y, height);
    }
  }
  return out;
}

// Half of the derivative of sum |G|^2 k |D|^2 / (|H|^2 + k |D|^2) by the samples of the frame; 0 in the picture.
Image slope(const Image& at, const Kernel& psf, const ConstView& picture) {
  const Frame frame(at, psf, Border::wrap);
  const Plane h = frame.transfer();
  Plane g = frame.spectrum();
  for (int v = 0; v < frame.height(); ++v) {
    for (int u = 0; u < frame.width(); ++u) {
      const double penalty = 0.01 * (4 - 2 * std::cos(2 * std::numbers::pi * u / frame.width()) -
                                     2 * std::cos(2 * std::numbers::pi * v / frame.height())),
                   h2 = std::norm(h[frame.place(u, v)]);
      g[frame.place(u, v)] *= penalty / (h2 + penalty);
    }
  }
  Image out = frame.back(std::move(g));
  for (int y = 0; y < picture.height(); ++y) {
    for (int x = 0; x < picture.width(); ++x) out.at(x, y) = 0;
  }
  return out;
}

double product(const Image& a, const Image& b) {
  double sum = 0;
  for (int y = 0; y < a.height(); ++y) {
    for (int x = 0; x < a.width(); ++x) sum += static_cast<double>(a.at(x, y)) * static_cast<double>(b.at(x, y));
  }
  return sum;
}

// a + k b.
Image sum(const Image& a, double k, const Image& b) {
  return map_pairs(a, b, [k](float p, float q) { return static_cast<float>(p + k * q); });
}

}  // namespace

Image reference::tapered(const ConstView& channel, const Kernel& psf) {
  Image frame = faded_over(channel, even_size(channel.width() + std::max(8, psf.width())),
                           even_size(channel.height() + std::max(8, psf.height())));
  // Two steps of conjugate gradients (Hestenes and Stiefel, 1952).
  Image rest = slope(frame, psf, channel), direction = sum(Image(rest.shape()), -1, rest);
  for (int i = 0; i < 2 && product(rest, rest) > 0; ++i) {
    const Image bent = slope(direction, psf, channel);
    const double size = product(rest, rest), curvature = product(direction, bent);
    if (!(curvature > 0)) break;
    frame = sum(frame, size / curvature, direction);
    rest = sum(rest, size / curvature, bent);
    direction = sum(sum(Image(rest.shape()), -1, rest), product(rest, rest) / size, direction);
  }
  return frame;
}

}  // namespace sieve
