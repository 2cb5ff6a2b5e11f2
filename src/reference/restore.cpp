// The plain definitions of restorations: transforms by their sums, then the same multiplication; and blurs by theirs.

#include <algorithm>
#include <cmath>
#include <vector>

#include "reference/plain_fourier.hpp"
#include "restore/deconvolution.hpp"

namespace sieve {

namespace {

using Complex = std::complex<double>;
using Plane = std::vector<Complex>;

// A channel as the restorations see it.
Image channel_of(const ConstView& in, int c, const Kernel& psf, Beyond beyond) {
  Image from(in.channel(c));
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) from.at(x, y) = std::isfinite(from.at(x, y)) ? from.at(x, y) : 0;
  }
  return beyond == Beyond::taper ? tapered(from, psf) : from;
}

}  // namespace

Image PlainBlur::operator()(const Image& u, bool turned) const {
  Image out(u.shape());
  for (int y = 0; y < u.height(); ++y) {
    for (int x = 0; x < u.width(); ++x) {
      double sum = 0;
      for (int j = 0; j < psf_.height(); ++j) {
        for (int i = 0; i < psf_.width(); ++i) {
          const int dx = i - psf_.anchor_x(), dy = j - psf_.anchor_y();
          sum += psf_.at(i, j) *
                 static_cast<double>(u.at(*border_index(turned ? x + dx : x - dx, u.width(), frame_.border),
                                          *border_index(turned ? y + dy : y - dy, u.height(), frame_.border)));
        }
      }
      out.at(x, y) = static_cast<float>(sum);
    }
  }
  return out;
}

void PlainBlur::each_gain(const std::function<void(double h2)>& visit) const {
  for (int v = 0; v < frame_.height; ++v) {
    for (int u = 0; u < frame_.width; ++u)
      visit(std::norm(
          frequency_response(psf_, static_cast<double>(u) / frame_.width, static_cast<double>(v) / frame_.height)));
  }
}

Image iterate_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, bool framed,
                      const std::function<Image(const Image& g, const PlainBlur& blur)>& solve) {
  const Frame f = frame_of(in.shape, beyond);
  Image out(in.shape);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    Image g = channel_of(in, c, psf, beyond);
    if (framed) g = extended(g, f);
    const Image u =
        solve(g, PlainBlur(checked_psf(psf, "restore"), {f.width, f.height, framed ? Border::wrap : f.border}));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x)
        out.at(x, y, c) = std::isfinite(in.at(x, y, c)) ? u.at(x, y) : in.at(x, y, c);
    }
  }
  copy_alpha(in, out.view());
  return out;
}

Image restore_plainly(const ConstView& in, const Kernel& psf, Beyond beyond, const Prepare& prepare) {
  const Kernel k = checked_psf(psf, "restore");
  const Frame f = frame_of(in.shape, beyond);
  const auto place = [&](int u, int v) {
    return static_cast<std::size_t>(v) * static_cast<std::size_t>(f.width) + static_cast<std::size_t>(u);
  };
  Plane transfer(place(0, f.height));
  for (int y = 0; y < k.height(); ++y) {
    for (int x = 0; x < k.width(); ++x)
      transfer[place(*border_index(x - k.anchor_x(), f.width, Border::wrap),
                     *border_index(y - k.anchor_y(), f.height, Border::wrap))] += k.at(x, y);
  }
  reference::fourier_by_sums(transfer, f.width, f.height, -1);
  Image out(in.shape);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const Image from = channel_of(in, c, psf, beyond);
    Plane g(place(0, f.height));
    for (int y = 0; y < f.height; ++y) {
      for (int x = 0; x < f.width; ++x)
        g[place(x, y)] = static_cast<double>(
            from.at(*border_index(x, in.width(), f.border), *border_index(y, in.height(), f.border)));
    }
    reference::fourier_by_sums(g, f.width, f.height, -1);
    const Grid grid{f, false, f.width / 2 + 1, f.height};
    const ChannelSpectrum::Factor factor = prepare(grid, [&] {
      Measured m{grid, std::vector<double>(grid.size()), std::vector<double>(grid.size())};
      for (int u = 0; u < grid.columns; ++u) {
        for (int v = 0; v < grid.rows; ++v)
          m.transfer[grid.place(u, v)] = std::norm(transfer[place(u, v)]),
                                   m.picture[grid.place(u, v)] = std::norm(g[place(u, v)]);
      }
      return m;
    });
    // The other half is the mirror image of the first.
    Plane result(g.size());
    for (int v = 0; v < f.height; ++v) {
      for (int u = 0; u <= f.width / 2; ++u) {
        const Complex r = g[place(u, v)] * factor(u, v, transfer[place(u, v)]);
        result[place(u, v)] = r;
        if (u > 0 && 2 * u != f.width) result[place(f.width - u, (f.height - v) % f.height)] = std::conj(r);
      }
    }
    reference::fourier_by_sums(result, f.width, f.height, 1);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = in.at(x, y, c);
        out.at(x, y, c) =
            std::isfinite(v)
                ? static_cast<float>(result[place(x, y)].real() / (static_cast<double>(f.width) * f.height))
                : v;
      }
    }
  }
  copy_alpha(in, out.view());
  return out;
}

}  // namespace sieve
