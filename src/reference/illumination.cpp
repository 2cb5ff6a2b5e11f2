#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

#include "sieve/core/channels.hpp"
#include "sieve/reference/illumination.hpp"
#include "sieve/reference/tone.hpp"

namespace sieve::reference {

Image flat_field(const ConstView& in, const ConstView& flat, const ConstView& dark, double least) {
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const auto shadow = [&](int x, int y) {
      return dark.data == nullptr ? 0.0 : static_cast<double>(dark.at(x, y, dark.shape.color_channels() == 1 ? 0 : c));
    };
    const auto divisor = [&](int x, int y) {
      return flat.at(x, y, flat.shape.color_channels() == 1 ? 0 : c) - shadow(x, y);
    };
    double sum = 0, count = 0;
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (!std::isfinite(divisor(x, y))) continue;
        sum += divisor(x, y);
        ++count;
      }
    }
    const double mean = sum / count;
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (std::isfinite(divisor(x, y)))
          out.at(x, y, c) =
              static_cast<float>((in.at(x, y, c) - shadow(x, y)) / std::max(divisor(x, y), least * mean) * mean);
      }
    }
  }
  return out;
}

namespace {

// Solves a x = b by Gaussian elimination with the largest pivot; unknowns without one are 0.
std::vector<double> solved(std::vector<std::vector<double>> a, std::vector<double> b) {
  const std::size_t n = b.size();
  for (std::size_t k = 0; k < n; ++k) {
    std::size_t best = k;
    for (std::size_t i = k; i < n; ++i) best = std::abs(a[i][k]) > std::abs(a[best][k]) ? i : best;
    std::swap(a[k], a[best]);
    std::swap(b[k], b[best]);
    if (std::abs(a[k][k]) < 1e-12) continue;
    for (std::size_t i = 0; i < n; ++i) {
      if (i == k) continue;
      const double f = a[i][k] / a[k][k];
      for (std::size_t j = k; j < n; ++j) a[i][j] -= f * a[k][j];
      b[i] -= f * b[k];
    }
  }
  for (std::size_t k = 0; k < n; ++k) b[k] = std::abs(a[k][k]) < 1e-12 ? 0 : b[k] / a[k][k];
  return b;
}

std::vector<double> monomials(double x, double y, int degree) {
  std::vector<double> m;
  for (int j = 0; j <= degree; ++j) {
    for (int i = 0; i <= degree - j; ++i) m.push_back(std::pow(x, i) * std::pow(y, j));
  }
  return m;
}

double unit(double place, int length) { return length > 1 ? 2 * place / (length - 1) - 1 : 0; }

}  // namespace

Image polynomial_background(const ConstView& in, int degree) {
  Image out(in);
  const int w = in.width(), h = in.height(), columns = std::min(w, 64), rows = std::min(h, 64);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    std::vector<std::vector<double>> basis;
    std::vector<double> means;
    for (int j = 0; j < rows; ++j) {
      for (int i = 0; i < columns; ++i) {
        const int x0 = w * i / columns, x1 = w * (i + 1) / columns, y0 = h * j / rows, y1 = h * (j + 1) / rows;
        double sum = 0, count = 0;
        for (int y = y0; y < y1; ++y) {
          for (int x = x0; x < x1; ++x) {
            if (!std::isfinite(in.at(x, y, c))) continue;
            sum += in.at(x, y, c);
            ++count;
          }
        }
        if (count == 0) continue;
        basis.push_back(monomials(unit(0.5 * (x0 + x1 - 1), w), unit(0.5 * (y0 + y1 - 1), h), degree));
        means.push_back(sum / count);
      }
    }
    if (means.empty()) continue;
    const std::size_t terms = basis[0].size();
    std::vector<double> weights(means.size(), 1), fit(terms);
    for (int round = 0; round < 12; ++round) {
      std::vector<std::vector<double>> a(terms, std::vector<double>(terms));
      std::vector<double> b(terms);
      for (std::size_t n = 0; n < means.size(); ++n) {
        for (std::size_t p = 0; p < terms; ++p) {
          for (std::size_t q = 0; q < terms; ++q) a[p][q] += weights[n] * basis[n][p] * basis[n][q];
          b[p] += weights[n] * basis[n][p] * means[n];
        }
      }
      fit = solved(a, b);
      std::vector<double> residuals;
      for (std::size_t n = 0; n < means.size(); ++n) {
        double value = 0;
        for (std::size_t p = 0; p < terms; ++p) value += fit[p] * basis[n][p];
        residuals.push_back(std::abs(means[n] - value));
      }
      std::vector<double> sorted = residuals;
      std::sort(sorted.begin(), sorted.end());
      const double scale = 1.4826 * sorted[sorted.size() / 2];
      if (!(scale > 1e-9)) break;
      for (std::size_t n = 0; n < means.size(); ++n) {
        const double r = residuals[n] / (4.685 * scale);
        weights[n] = r < 1 ? (1 - r * r) * (1 - r * r) : 0;
      }
    }
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const auto m = monomials(unit(x, w), unit(y, h), degree);
        double value = 0;
        for (std::size_t p = 0; p < terms; ++p) value += fit[p] * m[p];
        out.at(x, y, c) = static_cast<float>(value);
      }
    }
  }
  return out;
}

Image homomorphic(const ConstView& in, double low, double high, double cutoff, double floor) {
  const Image luma = to_gray(in);
  const auto w = static_cast<std::size_t>(in.width()), h = static_cast<std::size_t>(in.height());
  std::vector<double> log;
  for (std::size_t y = 0; y < h; ++y) {
    for (std::size_t x = 0; x < w; ++x) {
      const double v = luma.at(static_cast<int>(x), static_cast<int>(y));
      log.push_back(std::log(v > floor && std::isfinite(v) ? v : floor));
    }
  }
  // A mirrored picture is a sum of cosines of k / (2 n) cycles per pixel: there, times the gain, and back.
  const auto cosine = [](std::size_t k, std::size_t x, std::size_t n) {
    return std::cos(std::numbers::pi * static_cast<double>(k) * (static_cast<double>(x) + 0.5) /
                    static_cast<double>(n));
  };
  const auto rows = [&](const std::vector<double>& from, bool forward) {
    std::vector<double> to(w * h);
    for (std::size_t y = 0; y < h; ++y) {
      for (std::size_t a = 0; a < w; ++a) {
        for (std::size_t b = 0; b < w; ++b)
          to[y * w + a] +=
              from[y * w + b] *
              (forward ? cosine(a, b, w) : cosine(b, a, w) * (b == 0 ? 1.0 : 2.0) / static_cast<double>(w));
      }
    }
    return to;
  };
  const auto columns = [&](const std::vector<double>& from, bool forward) {
    std::vector<double> to(w * h);
    for (std::size_t x = 0; x < w; ++x) {
      for (std::size_t a = 0; a < h; ++a) {
        for (std::size_t b = 0; b < h; ++b)
          to[a * w + x] +=
              from[b * w + x] *
              (forward ? cosine(a, b, h) : cosine(b, a, h) * (b == 0 ? 1.0 : 2.0) / static_cast<double>(h));
      }
    }
    return to;
  };
  std::vector<double> spectrum = columns(rows(log, true), true);
  for (std::size_t v = 0; v < h; ++v) {
    for (std::size_t u = 0; u < w; ++u) {
      if (u == 0 && v == 0) continue;  // the mean of the logarithm is kept
      const double fx = static_cast<double>(u) / (2 * static_cast<double>(w)),
                   fy = static_cast<double>(v) / (2 * static_cast<double>(h));
      spectrum[v * w + u] *= low + (high - low) * (1 - std::exp(-(fx * fx + fy * fy) / (2 * cutoff * cutoff)));
    }
  }
  const std::vector<double> changed = columns(rows(spectrum, false), false);
  Image out(in);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const double to = std::exp(changed[static_cast<std::size_t>(y) * w + static_cast<std::size_t>(x)]);
      if (in.shape.color_channels() == 1) {
        if (!std::isnan(in.at(x, y))) out.at(x, y) = static_cast<float>(to);
        continue;
      }
      const Triple rgb = relight({in.at(x, y, 0), in.at(x, y, 1), in.at(x, y, 2)}, luma.at(x, y), to);
      for (int c = 0; c < 3; ++c) out.at(x, y, c) = static_cast<float>(rgb[static_cast<std::size_t>(c)]);
    }
  }
  return out;
}

}  // namespace sieve::reference
