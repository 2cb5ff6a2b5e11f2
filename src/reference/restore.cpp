// The plain definition of the linear restorations: transforms by their sums, then the same multiplication.

#include <algorithm>
#include <cmath>
#include <vector>

#include "reference/plain_fourier.hpp"
#include "restore/deconvolution.hpp"

namespace sieve {

namespace {

using Complex = std::complex<double>;
using Plane = std::vector<Complex>;

HalfPlane<double> half_of(const Plane& plane, const Frame& f) {
  HalfPlane<double> h(f.width, f.height);
  for (int y = 0; y < h.height; ++y) std::copy_n(plane.begin() + static_cast<std::ptrdiff_t>(y) * f.width, h.columns, h.row(y));
  return h;
}

}  // namespace

Image restore_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, const Prepare& prepare) {
  const Kernel k = checked_psf(psf, "restore");
  const Frame f = frame_of(in.shape, beyond);
  const auto place = [&](int u, int v) { return static_cast<std::size_t>(v) * static_cast<std::size_t>(f.width) + static_cast<std::size_t>(u); };
  Plane transfer(place(0, f.height));
  for (int y = 0; y < k.height(); ++y) {
    for (int x = 0; x < k.width(); ++x) transfer[place(*border_index(x - k.anchor_x(), f.width, Border::wrap), *border_index(y - k.anchor_y(), f.height, Border::wrap))] += k.at(x, y);
  }
  reference::fourier_by_sums(transfer, f.width, f.height, -1);
  Image out(in.shape);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    Image from(in.channel(c));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) from.at(x, y) = std::isfinite(from.at(x, y)) ? from.at(x, y) : 0;
    }
    if (beyond == Beyond::taper) from = tapered(from, psf);
    Plane g(place(0, f.height));
    for (int y = 0; y < f.height; ++y) {
      for (int x = 0; x < f.width; ++x) g[place(x, y)] = static_cast<double>(from.at(*border_index(x, in.width(), f.border), *border_index(y, in.height(), f.border)));
    }
    reference::fourier_by_sums(g, f.width, f.height, -1);
    const Multiplier m = prepare(f, half_of(transfer, f), half_of(g, f));
    // The other half is the mirror image of the first.
    Plane result(g.size());
    for (int v = 0; v < f.height; ++v) {
      for (int u = 0; u <= f.width / 2; ++u) {
        const Complex r = m(u, v, transfer[place(u, v)], g[place(u, v)]);
        result[place(u, v)] = r;
        if (u > 0 && 2 * u != f.width) result[place(f.width - u, (f.height - v) % f.height)] = std::conj(r);
      }
    }
    reference::fourier_by_sums(result, f.width, f.height, 1);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = in.at(x, y, c);
        out.at(x, y, c) = std::isfinite(v) ? static_cast<float>(result[place(x, y)].real() / (static_cast<double>(f.width) * f.height)) : v;
      }
    }
  }
  copy_alpha(in, out.view());
  return out;
}

}  // namespace sieve
