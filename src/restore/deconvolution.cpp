#include "restore/deconvolution.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/finite.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

std::span<const std::pair<const char*, Beyond>> ChoiceNames<Beyond>::all() {
  static constexpr std::pair<const char*, Beyond> names[] = {{"mirror", Beyond::mirror}, {"taper", Beyond::taper}, {"wrap", Beyond::wrap}};
  return names;
}

Kernel checked_psf(const Kernel& psf, const char* who) {
  if (!(psf.sum() > 0) || !std::isfinite(psf.sum())) throw BadCall(fmt::format("{}: the PSF sums to {:g}; a point spread function has a sum above 0", who, psf.sum()));
  return psf.normalized();
}

HalfPlane<double> transfer_plane(const Kernel& psf, int width, int height) {
  const Kernel k = checked_psf(psf, "transfer function");
  HalfPlane<double> h(width, height);
  const LineFft<double>& across = LineFft<double>::of(width);
  // Row by row, each tap at its distance from the anchor, wrapped around.
  std::vector<std::vector<double>> rows(static_cast<std::size_t>(height));
  for (int y = 0; y < k.height(); ++y) {
    auto& row = rows[static_cast<std::size_t>(*border_index(y - k.anchor_y(), height, Border::wrap))];
    row.resize(static_cast<std::size_t>(width));
    for (int x = 0; x < k.width(); ++x) row[static_cast<std::size_t>(*border_index(x - k.anchor_x(), width, Border::wrap))] += k.at(x, y);
  }
  const FftArray<double> line(static_cast<std::size_t>(width));
  for (int y = 0; y < height; ++y) {
    const auto& row = rows[static_cast<std::size_t>(y)];
    if (row.empty()) {
      std::fill_n(h.row(y), h.columns, 0.0);
      continue;
    }
    std::copy(row.begin(), row.end(), line.data());
    across.forward(line.data(), h.row(y));
  }
  const LineFft<double>& down = LineFft<double>::of(height);
  each_column<double>(h, [&](int, std::complex<double>* c) { down.forward(c); });
  return h;
}

Frame frame_of(const Shape& s, Beyond beyond) {
  if (beyond == Beyond::mirror) return {2 * s.width, 2 * s.height, Border::mirror};
  return {s.width, s.height, Border::wrap};
}

Image tapered(const ConstView& channel, const Kernel& psf) {
  const int w = channel.width(), h = channel.height();
  const HalfPlane<double> hp = transfer_plane(psf, w, h), g(w, h);
  forward_rows(channel, w, Border::wrap, g);
  const LineFft<double>& down = LineFft<double>::of(h);
  each_column<double>(g, [&](int u, std::complex<double>* line) {
    down.forward(line);
    for (int v = 0; v < h; ++v) line[v] *= hp.row(v)[u];
    down.inverse(line);
  });
  Image blurred(w, h), out(w, h);
  inverse_rows(g, w, 1.0 / (static_cast<double>(w) * h), blurred.view());
  // A raised cosine over the width of the PSF.
  const auto weight = [](int i, int n, int reach) {
    const double t = (std::min(i, n - 1 - i) + 0.5) / std::max(1, reach);
    return t >= 1 ? 1.0 : 0.5 - 0.5 * std::cos(std::numbers::pi * t);
  };
  for (int y = 0; y < h; ++y) {
    const double a = weight(y, h, std::min(psf.height(), h / 2));
    for (int x = 0; x < w; ++x) {
      const double t = a * weight(x, w, std::min(psf.width(), w / 2));
      out.at(x, y) = static_cast<float>(t * static_cast<double>(channel.at(x, y)) + (1 - t) * static_cast<double>(blurred.at(x, y)));
    }
  }
  return out;
}

void tell_of_mirrors(const Kernel& psf, Beyond beyond) {
  if (beyond != Beyond::mirror || !notes_heard()) return;
  const auto differs = [](double a, double b) { return std::abs(a - b) > 1e-6; };
  bool same = 2 * psf.anchor_x() + 1 == psf.width() && 2 * psf.anchor_y() + 1 == psf.height();
  for (int y = 0; same && y < psf.height(); ++y) {
    for (int x = 0; same && x < psf.width(); ++x) same = !differs(psf.at(x, y), psf.at(psf.width() - 1 - x, y)) && !differs(psf.at(x, y), psf.at(x, psf.height() - 1 - y));
  }
  if (!same) note("this PSF is another one in a mirror, so that mirrored borders may ring: try beyond=taper");
}

void restore_linear(const ConstView& in, const View& out, const Kernel& psf, Beyond beyond, const Prepare& prepare) {
  tell_of_mirrors(psf, beyond);
  const Frame f = frame_of(in.shape, beyond);
  const HalfPlane<double> h = transfer_plane(psf, f.width, f.height);
  const LineFft<double>& down = LineFft<double>::of(f.height);
  on_finite(in, out, [&](const ConstView& finite, const View& result) {
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      checkpoint();
      Image blended;
      ConstView from = finite.channel(c);
      if (beyond == Beyond::taper) from = blended = tapered(from, psf);
      const HalfPlane<double> g(f.width, f.height);
      forward_rows(from, f.width, f.border, g);
      each_column<double>(g, [&](int, std::complex<double>* line) { down.forward(line); });
      const Multiplier m = prepare(f, h, g);
      each_column<double>(g, [&](int u, std::complex<double>* line) {
        for (int v = 0; v < f.height; ++v) line[v] = m(u, v, h.row(v)[u], line[v]);
        down.inverse(line);
      });
      inverse_rows(g, f.width, 1.0 / (static_cast<double>(f.width) * f.height), result.channel(c));
    }
  });
  copy_alpha(in, out);
}

}  // namespace sieve
