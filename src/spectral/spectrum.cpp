#include "sieve/spectral/spectrum.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <limits>
#include <numbers>

#include "core/finite.hpp"
#include "core/luma.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "spectral/plane.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, Taper>> ChoiceNames<Taper>::all() {
  static constexpr std::pair<const char*, Taper> names[] = {
      {"none", Taper::none}, {"hann", Taper::hann}, {"tukey", Taper::tukey}, {"periodic", Taper::periodic}};
  return names;
}

namespace {

int modulo(int i, int n) { return *border_index(i, n, Border::wrap); }

// The frequency nearest to 0 that place i of n stands for.
int nearest(int i, int n) { return i > n / 2 ? i - n : i; }

// Weight of sample i of n: a raised cosine over `share` of the side, half at each end.
double taper_weight(int i, int n, double share) {
  const double t = std::min(i + 0.5, n - i - 0.5) / (0.5 * share * n);
  return t >= 1 ? 1 : 0.5 - 0.5 * std::cos(std::numbers::pi * t);
}

Image tapered(const Image& in, Taper taper) {
  if (taper == Taper::none) return in;
  if (taper == Taper::periodic) return periodic_part(in);
  double sum = 0;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) sum += static_cast<double>(in.at(x, y));
  }
  const double mean = sum / static_cast<double>(in.shape().pixels()), share = taper == Taper::hann ? 1 : 0.25;
  Image out(in.shape());
  std::vector<double> across;
  for (int x = 0; x < in.width(); ++x) across.push_back(taper_weight(x, in.width(), share));
  for (int y = 0; y < in.height(); ++y) {
    const double down = taper_weight(y, in.height(), share);
    for (int x = 0; x < in.width(); ++x)
      out.at(x, y) =
          static_cast<float>((static_cast<double>(in.at(x, y)) - mean) * down * across[static_cast<std::size_t>(x)]);
  }
  return out;
}

template <class T>
SpectrumOf<T> spectrum_of(const ConstView& in, Taper taper) {
  require_input(in, "spectrum");
  Image gray = luma_of(in);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      if (!std::isfinite(gray.at(x, y)))
        throw InvalidArgument(
            fmt::format("spectrum: the sample at {},{} is not finite, and one such sample is everywhere in a spectrum; "
                        "mend or crop it first",
                        x, y));
    }
  }
  gray = tapered(gray, taper);
  const HalfPlane<T> plane(in.width(), in.height());
  forward_rows(gray, in.width(), Border::edge, plane);
  const auto fft_plan = LineFft<T>::of(in.height());
  const LineFft<T>& fft = *fft_plan;
  each_column<T>(plane, [&](int, std::complex<T>* line) { fft.forward(line); });
  SpectrumOf<T> s(in.width(), in.height());
  const T scale = static_cast<T>(1.0 / static_cast<double>(in.shape.pixels()));
  for (int v = 0; v < in.height(); ++v)
    std::transform(plane.row(v), plane.row(v) + plane.columns, s.row(v),
                   [scale](const std::complex<T>& f) { return f * scale; });
  return s;
}

template <class T>
Image picture_from(const SpectrumOf<T>& s) {
  const HalfPlane<T> plane(s.width(), s.height());
  for (int v = 0; v < s.height(); ++v) std::copy_n(s.row(v), s.columns(), plane.row(v));
  const auto fft_plan = LineFft<T>::of(s.height());
  const LineFft<T>& fft = *fft_plan;
  each_column<T>(plane, [&](int, std::complex<T>* line) { fft.inverse(line); });
  Image out(s.width(), s.height());
  inverse_rows(plane, s.width(), 1, out.view());
  return out;
}

}  // namespace

template <class T>
SpectrumOf<T>::SpectrumOf(int width, int height) : width_(width), height_(height) {
  if (width < 1 || height < 1)
    throw InvalidArgument(fmt::format("spectrum: {}x{} is no size of a picture", width, height));
  values_.resize(static_cast<std::size_t>(height) * static_cast<std::size_t>(columns()));
}
template <class T>
std::complex<T> SpectrumOf<T>::at(int u, int v) const {
  const int x = modulo(u, width_), y = modulo(v, height_);
  return x < columns() ? row(y)[x] : std::conj(row(modulo(-y, height_))[width_ - x]);
}
template <class T>
void SpectrumOf<T>::set(int u, int v, std::complex<T> value) {
  const auto put = [&](int x, int y, std::complex<T> f) {
    if (x < columns()) row(y)[x] = f;
  };
  const int x = modulo(u, width_), y = modulo(v, height_), mx = modulo(-x, width_), my = modulo(-y, height_);
  if (x == mx && y == my) value = value.real();
  put(x, y, value);
  put(mx, my, std::conj(value));
}
template class SpectrumOf<float>;
template class SpectrumOf<double>;

Spectrum spectrum(const ConstView& in, Taper taper) { return spectrum_of<float>(in, taper); }
DoubleSpectrum double_spectrum(const ConstView& in, Taper taper) { return spectrum_of<double>(in, taper); }
Image picture_of(const Spectrum& s) { return picture_from(s); }
Image picture_of(const DoubleSpectrum& s) { return picture_from(s); }

Image spectrum_image(const Spectrum& s, SpectrumShown shown, SpectrumOrigin origin) {
  Image out(s.width(), s.height());
  const int cx = origin == SpectrumOrigin::center ? s.width() / 2 : 0,
            cy = origin == SpectrumOrigin::center ? s.height() / 2 : 0;
  const double pixels = static_cast<double>(s.width()) * s.height();
  const int w = s.width(), h = s.height();
  std::vector<float> largest(static_cast<std::size_t>(h));
  parallel_rows(h, RowCost(w, 16), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      const int v = modulo(y - cy, h);
      // The half that is not stored is the other half, turned and conjugated.
      const std::complex<float>*row = s.row(v), *turned = s.row(modulo(-v, h));
      float most = 0;
      int u = modulo(-cx, w);
      for (int x = 0; x < w; ++x, u = u + 1 == w ? 0 : u + 1) {
        const std::complex<float> f = 2 * u <= w ? row[u] : std::conj(turned[w - u]);
        float& r = out.at(x, y);
        if (shown == SpectrumShown::magnitude) r = std::abs(f);
        if (shown == SpectrumShown::phase) r = std::arg(f);
        if (shown == SpectrumShown::power) r = std::norm(f);
        if (shown == SpectrumShown::logarithm)
          r = static_cast<float>(std::log1p(pixels * static_cast<double>(std::abs(f))));
        most = std::max(most, r);
      }
      largest[static_cast<std::size_t>(y)] = most;
    }
  });
  const float most = *std::max_element(largest.begin(), largest.end());
  if (shown != SpectrumShown::logarithm || most == 0) return out;
  return map_samples(out, [most](float v) { return v / most; });
}

FrequencyPoint probe(const Spectrum& s, int x, int y, SpectrumOrigin origin) {
  const int w = s.width(), h = s.height();
  if (x < 0 || y < 0 || x >= w || y >= h)
    throw InvalidArgument(fmt::format("probe: {},{} is not inside the spectrum of {}x{}", x, y, w, h));
  FrequencyPoint p;
  p.u = nearest(modulo(origin == SpectrumOrigin::center ? x - w / 2 : x, w), w);
  p.v = nearest(modulo(origin == SpectrumOrigin::center ? y - h / 2 : y, h), h);
  p.fx = static_cast<double>(p.u) / w;
  p.fy = static_cast<double>(p.v) / h;
  p.frequency = std::hypot(p.fx, p.fy);
  p.period = p.frequency > 0 ? 1 / p.frequency : std::numeric_limits<double>::infinity();
  p.angle = p.frequency > 0 ? std::fmod(std::atan2(p.fy, p.fx) * 180 / std::numbers::pi + 180, 180) : 0;
  p.value = std::complex<double>(s.at(p.u, p.v));
  const bool own_mirror = modulo(2 * p.u, w) == 0 && modulo(2 * p.v, h) == 0;
  p.amplitude = (own_mirror ? 1 : 2) * std::abs(p.value);
  const float size = std::norm(s.at(p.u, p.v));
  for (int v = 0; v < h; ++v) {
    checkpoint();
    const std::complex<float>* row = s.row(v);
    for (int u = 0; u < s.columns(); ++u) {
      // In the columns that are their own mirrors a row and its mirror row hold the same.
      if (modulo(2 * u, w) == 0 && modulo(-v, h) < v) continue;
      p.rank += std::norm(row[u]) > size;
    }
  }
  return p;
}

namespace {

// A coefficient: its squared size and where it is.
struct Place {
  float size;
  int u, v;
};

// The first `most` of the places by their size.
std::vector<FrequencyPoint> largest(const Spectrum& s, std::vector<Place> places, int most) {
  std::stable_sort(places.begin(), places.end(), [](const Place& a, const Place& b) { return a.size > b.size; });
  std::vector<FrequencyPoint> all;
  for (const Place& p : places) {
    if (static_cast<int>(all.size()) >= most) break;
    all.push_back(probe(s, modulo(p.u, s.width()), modulo(p.v, s.height()), SpectrumOrigin::corner));
  }
  return all;
}

}  // namespace

std::vector<FrequencyPoint> strongest(const Spectrum& s, int most) {
  // The `most` largest so far: their sizes alone would be a whole spectrum to sort.
  const auto larger = [](const Place& a, const Place& b) { return a.size > b.size; };
  std::vector<Place> best;
  for (int v = 0; v < s.height(); ++v) {
    checkpoint();
    for (int u = 0; u < s.columns(); ++u) {
      // Where a column is its own mirror, a row and its mirror are one point.
      const bool own = u == 0 || 2 * u == s.width();
      if ((u == 0 && v == 0) || (own && v > s.height() / 2)) continue;
      const float here = std::norm(s.row(v)[u]);
      if (!(here > 0)) continue;
      best.push_back({here, u, v});
      std::push_heap(best.begin(), best.end(), larger);
      if (static_cast<int>(best.size()) <= most) continue;
      std::pop_heap(best.begin(), best.end(), larger);
      best.pop_back();
    }
  }
  return largest(s, std::move(best), most);
}

std::vector<FrequencyPoint> strongest_off_axes(const Spectrum& s, int most) {
  std::vector<Place> places;
  for (int v = -(s.height() - 1) / 2; v <= s.height() / 2; ++v) {
    checkpoint();
    for (int u = 2; u < s.columns(); ++u) {
      const float here = std::norm(s.at(u, v));
      if (std::abs(v) < 2) continue;
      bool highest = here > 0;
      for (int j = -1; j <= 1; ++j) {
        for (int i = -1; i <= 1; ++i) highest = highest && here >= std::norm(s.at(u + i, v + j));
      }
      if (highest) places.push_back({here, u, v});
    }
  }
  return largest(s, std::move(places), most);
}

std::vector<double> radial_power(const Spectrum& s, double step) {
  if (!(step > 0))
    throw InvalidArgument(fmt::format("radial_power: step={} is not allowed: give cycles per pixel above 0", step));
  const auto rings = static_cast<std::size_t>(std::ceil(0.5 / step));
  std::vector<double> sum(rings), count(rings);
  for (int v = 0; v < s.height(); ++v) {
    checkpoint();
    const double fy = static_cast<double>(nearest(v, s.height())) / s.height();
    for (int u = 0; u < s.columns(); ++u) {
      const double fx = static_cast<double>(u) / s.width();
      const auto ring = static_cast<std::size_t>(std::hypot(fx, fy) / step);
      if (ring >= rings) continue;
      const double times = modulo(2 * u, s.width()) == 0 ? 1 : 2;
      sum[ring] += times * static_cast<double>(std::norm(s.row(v)[u]));
      count[ring] += times;
    }
  }
  for (std::size_t i = 0; i < rings; ++i) sum[i] = count[i] > 0 ? sum[i] / count[i] : 0;
  return sum;
}

Image periodic_part(const ConstView& in) {
  require_input(in, "periodic_part");
  const int w = in.width(), h = in.height();
  Image result(in.shape, in.white_level);
  on_finite(in, result.view(), [&](const ConstView& finite, const View& out) {
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      const ConstView f = finite.channel(c);
      // The jumps from each border to the opposite one.
      Image jumps(w, h);
      for (int y = 0; y < h; ++y) {
        const float d = f.at(w - 1, y) - f.at(0, y);
        jumps.at(0, y) += d;
        jumps.at(w - 1, y) -= d;
      }
      for (int x = 0; x < w; ++x) {
        const float d = f.at(x, h - 1) - f.at(x, 0);
        jumps.at(x, 0) += d;
        jumps.at(x, h - 1) -= d;
      }
      Image smooth(w, h);
      std::vector<double> down;
      for (int v = 0; v < h; ++v) down.push_back(2 * std::cos(2 * std::numbers::pi * v / h));
      filter_fourier(
          jumps, w, h, Border::wrap,
          [&](int u, std::complex<float>* column) {
            const double across = 2 * std::cos(2 * std::numbers::pi * u / w);
            for (int v = 0; v < h; ++v)
              column[v] *=
                  u == 0 && v == 0 ? 0.0F : static_cast<float>(1 / (across + down[static_cast<std::size_t>(v)] - 4));
          },
          smooth.view());
      copy(map_pairs(f, smooth, [](float a, float b) { return a - b; }), out.channel(c));
    }
  });
  copy_alpha(in, result.view());
  return result;
}

}  // namespace sieve
