#include "sieve/reference/spectral.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "reference/plain_fourier.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::reference {

namespace {

using Complex = std::complex<double>;

// A transform of `n` numbers, sign -1 forward, 1 back, not normalized.
std::vector<Complex> line(const std::vector<Complex>& in, int sign) {
  const int n = static_cast<int>(in.size());
  std::vector<Complex> turns, out(in.size());
  for (int k = 0; k < n; ++k) turns.push_back(std::polar(1.0, sign * 2 * std::numbers::pi * k / n));
  for (int u = 0; u < n; ++u) {
    for (int x = 0; x < n; ++x)
      out[static_cast<std::size_t>(u)] +=
          in[static_cast<std::size_t>(x)] * turns[static_cast<std::size_t>(static_cast<long long>(u) * x % n)];
  }
  return out;
}

double sample(float v) { return std::isfinite(v) ? static_cast<double>(v) : 0; }

// table[u * n + x] = a(u) cos(pi (2 x + 1) u / 2 n).
std::vector<double> cosines(int n) {
  std::vector<double> table;
  for (int u = 0; u < n; ++u) {
    for (int x = 0; x < n; ++x)
      table.push_back(std::sqrt((u == 0 ? 1.0 : 2.0) / n) * std::cos(std::numbers::pi * (2 * x + 1) * u / (2.0 * n)));
  }
  return table;
}

// Every result is the double sum over its block of f(x, y) times the cosines of (u, x) and (v, y), or of (x, u) and (y,
// v).
Image by_blocks(const ConstView& in, int block, bool forward) {
  Image out(in.shape);
  const int bw = block == 0 ? in.width() : block, bh = block == 0 ? in.height() : block;
  for (int y0 = 0; y0 < in.height(); y0 += bh) {
    for (int x0 = 0; x0 < in.width(); x0 += bw) {
      const int w = std::min(bw, in.width() - x0), h = std::min(bh, in.height() - y0);
      const std::vector<double> across = cosines(w), down = cosines(h);
      const auto weight = [&](const std::vector<double>& t, int result, int place, int n) {
        return t[static_cast<std::size_t>(forward ? result * n + place : place * n + result)];
      };
      for (int c = 0; c < in.shape.color_channels(); ++c) {
        for (int v = 0; v < h; ++v) {
          checkpoint();
          for (int u = 0; u < w; ++u) {
            double sum = 0;
            for (int y = 0; y < h; ++y) {
              for (int x = 0; x < w; ++x)
                sum += static_cast<double>(in.at(x0 + x, y0 + y, c)) * weight(across, u, x, w) * weight(down, v, y, h);
            }
            out.at(x0 + u, y0 + v, c) = static_cast<float>(sum);
          }
        }
      }
    }
  }
  copy_alpha(in, out.view());
  return out;
}

}  // namespace

}  // namespace sieve::reference

namespace sieve {

void internal::fourier_by_sums(std::vector<std::complex<double>>& plane, int w, int h, int sign) {
  for (int y = 0; y < h; ++y) {
    checkpoint();
    const auto at = plane.begin() + static_cast<std::ptrdiff_t>(y) * w;
    const std::vector<std::complex<double>> row = reference::line({at, at + w}, sign);
    std::copy(row.begin(), row.end(), at);
  }
  for (int x = 0; x < w; ++x) {
    checkpoint();
    std::vector<std::complex<double>> column;
    for (int y = 0; y < h; ++y) column.push_back(plane[static_cast<std::size_t>(y * w + x)]);
    column = reference::line(column, sign);
    for (int y = 0; y < h; ++y) plane[static_cast<std::size_t>(y * w + x)] = column[static_cast<std::size_t>(y)];
  }
}

}  // namespace sieve

namespace sieve::reference {

std::vector<Complex> fourier(const ConstView& in) {
  const int w = in.width(), h = in.height();
  std::vector<Complex> out;
  for (int v = 0; v < h; ++v) {
    for (int u = 0; u < w; ++u) {
      Complex sum = 0;
      for (int y = 0; y < h; ++y) {
        for (int x = 0; x < w; ++x)
          sum += static_cast<double>(in.at(x, y)) *
                 std::polar(1.0,
                            -2 * std::numbers::pi * (static_cast<double>(u) * x / w + static_cast<double>(v) * y / h));
      }
      out.push_back(sum / (static_cast<double>(w) * h));
    }
  }
  return out;
}

Image filter_frequencies(const ConstView& in, const std::function<double(double fx, double fy)>& gain, Border border) {
  const int times = border == Border::wrap ? 1 : 2, w = times * in.width(), h = times * in.height();
  Image out(in.shape);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    std::vector<Complex> plane;
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const auto px = border_index(x, in.width(), border), py = border_index(y, in.height(), border);
        plane.emplace_back(px && py ? sample(in.at(*px, *py, c)) : 0);
      }
    }
    internal::fourier_by_sums(plane, w, h, -1);
    const auto frequency = [](int i, int n) { return static_cast<double>(i > n / 2 ? i - n : i) / n; };
    // The highest frequency is its own mirror: both signs stand there.
    const auto gains = [&](double fx, double fy) {
      const auto either = [&](double x) { return fy == 0.5 ? 0.5 * (gain(x, fy) + gain(x, -fy)) : gain(x, fy); };
      return fx == 0.5 ? 0.5 * (either(fx) + either(-fx)) : either(fx);
    };
    for (int v = 0; v < h; ++v) {
      for (int u = 0; u < w; ++u) plane[static_cast<std::size_t>(v * w + u)] *= gains(frequency(u, w), frequency(v, h));
    }
    internal::fourier_by_sums(plane, w, h, 1);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        out.at(x, y, c) =
            std::isfinite(in.at(x, y, c))
                ? static_cast<float>(plane[static_cast<std::size_t>(y * w + x)].real() / (static_cast<double>(w) * h))
                : in.at(x, y, c);
      }
    }
  }
  copy_alpha(in, out.view());
  return out;
}

double transfer_gain(const ConstView& gains, double fx, double fy) {
  double sum = 0;
  const int middle_x = gains.width() / 2, middle_y = gains.height() / 2;  // of no frequency
  for (const double side : {0.5, -0.5}) {
    const double x = std::clamp(2 * side * fx * gains.width() + middle_x, 0.0, gains.width() - 1.0),
                 y = std::clamp(2 * side * fy * gains.height() + middle_y, 0.0, gains.height() - 1.0);
    // A tent over each sample, one pixel to either side.
    for (int j = 0; j < gains.height(); ++j) {
      for (int i = 0; i < gains.width(); ++i) {
        const double weight = std::max(0.0, 1 - std::abs(x - i)) * std::max(0.0, 1 - std::abs(y - j));
        if (weight > 0) sum += 0.5 * weight * static_cast<double>(gains.at(i, j));
      }
    }
  }
  return sum;
}

Image cosine_forward(const ConstView& in, int block) { return by_blocks(in, block, true); }
Image cosine_inverse(const ConstView& in, int block) { return by_blocks(in, block, false); }

}  // namespace sieve::reference
