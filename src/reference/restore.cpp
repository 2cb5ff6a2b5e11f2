// The plain definition of the linear restorations: transforms by their sums, then the same multiplication.

#include <algorithm>
#include <cmath>
#include <numbers>

#include "restore/deconvolution.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

namespace {

using Complex = std::complex<double>;
using Rows = std::vector<std::vector<Complex>>;

std::vector<Complex> line(const std::vector<Complex>& in, int sign) {
  const auto n = in.size();
  std::vector<Complex> turns, out(n);
  for (std::size_t k = 0; k < n; ++k) turns.push_back(std::polar(1.0, sign * 2 * std::numbers::pi * static_cast<double>(k) / static_cast<double>(n)));
  for (std::size_t u = 0; u < n; ++u) {
    for (std::size_t x = 0; x < n; ++x) out[u] += in[x] * turns[u * x % n];
  }
  return out;
}

void both(Rows& rows, int sign) {
  for (auto& r : rows) {
    checkpoint();
    r = line(r, sign);
  }
  for (std::size_t x = 0; x < rows[0].size(); ++x) {
    std::vector<Complex> column;
    for (const auto& r : rows) column.push_back(r[x]);
    column = line(column, sign);
    for (std::size_t y = 0; y < rows.size(); ++y) rows[y][x] = column[y];
  }
}

HalfPlane<double> half_of(const Rows& rows) {
  HalfPlane<double> h(static_cast<int>(rows[0].size()), static_cast<int>(rows.size()));
  for (int y = 0; y < h.height; ++y) std::copy_n(rows[static_cast<std::size_t>(y)].begin(), h.columns, h.row(y));
  return h;
}

}  // namespace

Image restore_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, const Prepare& prepare) {
  const Kernel k = checked_psf(psf, "restore");
  const Frame f = frame_of(in.shape, beyond);
  const auto w = static_cast<std::size_t>(f.width), h = static_cast<std::size_t>(f.height);
  Rows transfer(h, std::vector<Complex>(w));
  for (int y = 0; y < k.height(); ++y) {
    for (int x = 0; x < k.width(); ++x) {
      const int px = *border_index(x - k.anchor_x(), f.width, Border::wrap), py = *border_index(y - k.anchor_y(), f.height, Border::wrap);
      transfer[static_cast<std::size_t>(py)][static_cast<std::size_t>(px)] += k.at(x, y);
    }
  }
  both(transfer, -1);
  Image out(in.shape);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    Image from(in.channel(c));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) from.at(x, y) = std::isfinite(from.at(x, y)) ? from.at(x, y) : 0;
    }
    if (beyond == Beyond::taper) from = tapered(from, psf);
    Rows g(h, std::vector<Complex>(w));
    for (int y = 0; y < f.height; ++y) {
      for (int x = 0; x < f.width; ++x) {
        g[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)] = static_cast<double>(from.at(*border_index(x, in.width(), f.border), *border_index(y, in.height(), f.border)));
      }
    }
    both(g, -1);
    const Multiplier m = prepare(f, half_of(transfer), half_of(g));
    // The other half is the mirror image of the first.
    const auto at = [&](int u, int v) { return g[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)]; };
    Rows result(h, std::vector<Complex>(w));
    for (int v = 0; v < f.height; ++v) {
      for (int u = 0; u <= f.width / 2; ++u) {
        const Complex r = m(u, v, transfer[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)], at(u, v));
        result[static_cast<std::size_t>(v)][static_cast<std::size_t>(u)] = r;
        if (u > 0 && 2 * u != f.width) result[static_cast<std::size_t>((f.height - v) % f.height)][static_cast<std::size_t>(f.width - u)] = std::conj(r);
      }
    }
    both(result, 1);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = in.at(x, y, c);
        out.at(x, y, c) = std::isfinite(v) ? static_cast<float>(result[static_cast<std::size_t>(y)][static_cast<std::size_t>(x)].real() / (static_cast<double>(f.width) * f.height)) : v;
      }
    }
  }
  copy_alpha(in, out.view());
  return out;
}

}  // namespace sieve
