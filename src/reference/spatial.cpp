#include <algorithm>
#include <cmath>
#include <vector>

#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/reference/spatial.hpp"

namespace sieve::reference {

namespace {

// f(x, y, channel) for every color sample of a result of this shape; alpha taken from `in` at (ax(x), ay(y)).
template <class F>
Image fill_each(const Shape& shape, const ConstView& in, F f) {
  Image out(shape, in.white_level);
  Progress progress(shape.color_channels() * shape.height);
  for (int c = 0; c < shape.color_channels(); ++c) {
    for (int y = 0; y < shape.height; ++y) {
      progress.add(1);
      checkpoint();  // slow as they are, plain definitions can be stopped
      for (int x = 0; x < shape.width; ++x) out.at(x, y, c) = static_cast<float>(f(x, y, c));
    }
  }
  return out;
}

template <class F>
Image same_shape(const ConstView& in, F f) {
  Image out = fill_each(in.shape, in, f);
  copy_alpha(in, out.view());
  return out;
}

Image weighted(const ConstView& in, const Kernel& k, Border border, double fill, int s, int sign) {
  // A turned kernel has its anchor counted from the other end.
  const int ax = sign > 0 ? k.anchor_x() : k.width() - 1 - k.anchor_x();
  const int ay = sign > 0 ? k.anchor_y() : k.height() - 1 - k.anchor_y();
  // Where the first result lies, and how many there are to a side of n samples for k taps.
  const auto first = [border](int anchor, int taps) {
    return border == Border::inside ? anchor : border == Border::full ? anchor - (taps - 1) : 0;
  };
  const auto count = [border, s](int n, int taps) {
    return border == Border::inside ? (n - taps + s) / s
           : border == Border::full ? (n + taps - 1 + s - 1) / s
                                    : (n + s - 1) / s;
  };
  const int x0 = first(ax, k.width()), y0 = first(ay, k.height());
  const Shape shape{count(in.width(), k.width()), count(in.height(), k.height()), in.channels()};
  Image out = fill_each(shape, in, [&](int x, int y, int c) {
    double sum = 0;
    for (int j = 0; j < k.height(); ++j) {
      for (int i = 0; i < k.width(); ++i) {
        if (k.at(i, j) == 0) continue;
        sum += k.at(i, j) * sample(in, x0 + x * s + sign * (i - k.anchor_x()), y0 + y * s + sign * (j - k.anchor_y()),
                                   c, border, fill);
      }
    }
    return sum;
  });
  if (shape.has_alpha()) {
    for (int y = 0; y < shape.height; ++y) {
      for (int x = 0; x < shape.width; ++x)
        out.at(x, y, shape.channels - 1) =
            static_cast<float>(sample(in, x0 + x * s, y0 + y * s, shape.channels - 1, Border::edge, 0));
    }
  }
  return out;
}

}  // namespace

double sample(const ConstView& in, int x, int y, int channel, Border border, double fill) {
  const auto i = border_index(x, in.width(), border), j = border_index(y, in.height(), border);
  if (i && j) return static_cast<double>(in.at(*i, *j, channel));
  return border == Border::constant ? fill : 0;
}

Image convolve(const ConstView& in, const Kernel& kernel, Border border, double fill, int stride) {
  return weighted(in, kernel, border, fill, stride, -1);
}

Image correlate(const ConstView& in, const Kernel& kernel, Border border, double fill, int stride) {
  return weighted(in, kernel, border, fill, stride, +1);
}

Image gaussian(const ConstView& in, double sigma, Border border, double fill) {
  if (sigma == 0) return Image(in);
  const int radius = static_cast<int>(std::ceil(6 * sigma));
  std::vector<double> w;
  double total = 0;
  for (int i = -radius; i <= radius; ++i) total += w.emplace_back(std::exp(-0.5 * i * i / (sigma * sigma)));
  const auto weight = [&](int i) { return w[static_cast<std::size_t>(i + radius)] / total; };
  const Image across = same_shape(in, [&](int x, int y, int c) {
    double sum = 0;
    for (int i = -radius; i <= radius; ++i) sum += weight(i) * sample(in, x + i, y, c, border, fill);
    return sum;
  });
  return same_shape(across, [&](int x, int y, int c) {
    double sum = 0;
    for (int i = -radius; i <= radius; ++i) sum += weight(i) * sample(across, x, y + i, c, border, fill);
    return sum;
  });
}

Image box(const ConstView& in, int radius, Border border, double fill) {
  const double n = (2.0 * radius + 1) * (2.0 * radius + 1);
  return same_shape(in, [&](int x, int y, int c) {
    double sum = 0;
    for (int j = -radius; j <= radius; ++j) {
      for (int i = -radius; i <= radius; ++i) sum += sample(in, x + i, y + j, c, border, fill);
    }
    return sum / n;
  });
}

Image gradient_magnitude(const ConstView& in, const Kernel& x, const Kernel& y, Border border) {
  const Image gx = correlate(in, x, border, 0, 1), gy = correlate(in, y, border, 0, 1);
  return same_shape(in, [&](int i, int j, int c) {
    return std::hypot(static_cast<double>(gx.at(i, j, c)), static_cast<double>(gy.at(i, j, c)));
  });
}

Image gradient_direction(const ConstView& in, const Kernel& x, const Kernel& y, Border border) {
  const Image gx = correlate(in, x, border, 0, 1), gy = correlate(in, y, border, 0, 1);
  return same_shape(in, [&](int i, int j, int c) {
    return std::atan2(static_cast<double>(gy.at(i, j, c)), static_cast<double>(gx.at(i, j, c)));
  });
}

Image crop(const ConstView& in, const Rectangle& part) {
  const auto within = [](int first, int count, int size) {
    return first >= 0 && count > 0 && first < size && count <= size - first;
  };
  if (!within(part.x, part.width, in.width()) || !within(part.y, part.height, in.height()))
    throw InvalidArgument("reference::crop: the rectangle is not within the image");
  Image out(Shape{part.width, part.height, in.channels()}, in.white_level);
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < part.height; ++y) {
      for (int x = 0; x < part.width; ++x) out.at(x, y, c) = in.at(part.x + x, part.y + y, c);
    }
  }
  return out;
}

Image pad(const ConstView& in, int left, int right, int top, int bottom, Border border, double fill) {
  Image out(Shape{in.width() + left + right, in.height() + top + bottom, in.channels()}, in.white_level);
  for (int c = 0; c < in.channels(); ++c) {
    const Border b = c < in.shape.color_channels() ? border : Border::edge;
    for (int y = 0; y < out.height(); ++y) {
      for (int x = 0; x < out.width(); ++x)
        out.at(x, y, c) = static_cast<float>(sample(in, x - left, y - top, c, b, fill));
    }
  }
  return out;
}

Image shrink(const ConstView& in, int width, int height) {
  Image out(Shape{width, height, in.channels()}, in.white_level);
  const double fx = static_cast<double>(in.width()) / width, fy = static_cast<double>(in.height()) / height;
  const auto covered = [](int pixel, double from, double to) {
    return std::max(0.0, std::min<double>(pixel + 1, to) - std::max<double>(pixel, from));
  };
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) {
        double sum = 0;
        for (int j = static_cast<int>(y * fy); j < std::min<double>(in.height(), std::ceil((y + 1) * fy)); ++j) {
          for (int i = static_cast<int>(x * fx); i < std::min<double>(in.width(), std::ceil((x + 1) * fx)); ++i) {
            sum += in.at(i, j, c) * covered(i, x * fx, (x + 1) * fx) * covered(j, y * fy, (y + 1) * fy);
          }
        }
        out.at(x, y, c) = static_cast<float>(sum / (fx * fy));
      }
    }
  }
  return out;
}

}  // namespace sieve::reference
