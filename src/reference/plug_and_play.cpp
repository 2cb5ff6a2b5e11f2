// Restoration by a denoiser, round by round as its formula has it.

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <vector>

#include "reference/families.hpp"
#include "reference/plain_signal.hpp"
#include "sieve/filter/plug_and_play.hpp"
#include "sieve/reference/quality.hpp"
#include "sieve/reference/restore.hpp"
#include "sieve/reference/spatial.hpp"

namespace sieve {

using namespace internal;

namespace {

// The plane without its mean under Hann's window, in a larger frame.
Image windowed(const ConstView& in, int width, int height) {
  Image out(width, height);
  double mean = 0;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) mean += in.at(x, y) / static_cast<double>(in.shape.pixels());
  }
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const auto hann = [](int i, int n) { return std::pow(std::sin(std::numbers::pi * (i + 0.5) / n), 2); };
      out.at(x, y) = static_cast<float>((in.at(x, y) - mean) * hann(x, in.width()) * hann(y, in.height()));
    }
  }
  return out;
}

double at_least_rounding(const std::optional<double>& given, const ConstView& plane, const ConstView& picture) {
  const double least = std::max(1e-4, plain_rounding(plane, 0));
  if (given) return std::max(least, *given);
  return std::max({least, plain_rounding(picture, picture.white_level), reference::noise_level(plane)});
}

// So many iterations of the alternating direction method (Wang, Yang, Yin and Zhang, 2008) towards the picture of least
// variation, from the picture itself; an end where one changes it by less than 0.002 of its deviation.
Image toward_least_variation(const Frame& frame, double weight, int iterations) {
  const int w = frame.width(), h = frame.height();
  const auto at = [&](int x, int y) { return frame.place((x + w) % w, (y + h) % h); };
  const Plane transfer = frame.transfer();
  std::vector<double> u, bx(frame.place(0, h)), by(bx.size()), dx(bx.size()), dy(bx.size());
  double mean = 0, squares = 0;
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      u.push_back(frame.at(x, y));
      mean += u.back() / frame.pixels();
      squares += u.back() * u.back() / frame.pixels();
    }
  }
  const double deviation = std::sqrt(std::max(0.0, squares - mean * mean)), shrink = std::max(1e-3, deviation) / 2,
               m = weight / shrink;
  Plane back = frame.spectrum();
  for (std::size_t k = 0; k < back.size(); ++k) back[k] *= std::conj(transfer[k]);
  for (int i = 0; i < iterations; ++i) {
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x) {
        const std::size_t k = at(x, y);
        const double gx = bx[k] + u[at(x + 1, y)] - u[k], gy = by[k] + u[at(x, y + 1)] - u[k],
                     keep = std::max(0.0, 1 - shrink / std::sqrt(gx * gx + gy * gy + 1e-20));
        bx[k] = gx - gx * keep, by[k] = gy - gy * keep;
        dx[k] = gx * keep - bx[k], dy[k] = gy * keep - by[k];
      }
    }
    Plane right(u.size());
    for (int y = 0; y < h; ++y) {
      for (int x = 0; x < w; ++x)
        right[at(x, y)] = m * (dx[at(x - 1, y)] - dx[at(x, y)] + dy[at(x, y - 1)] - dy[at(x, y)]);
    }
    internal::fourier_by_sums(right, w, h, -1);
    for (int v = 0; v < h; ++v) {
      for (int c = 0; c < w; ++c) {
        const std::size_t k = frame.place(c, v);
        const double waves =
            4 - 2 * std::cos(2 * std::numbers::pi * c / w) - 2 * std::cos(2 * std::numbers::pi * v / h);
        right[k] = (back[k] + right[k]) / (std::norm(transfer[k]) + m * waves + 1e-12);
      }
    }
    internal::fourier_by_sums(right, w, h, 1);
    double changed = 0;
    for (std::size_t k = 0; k < u.size(); ++k) {
      const double now = right[k].real() / frame.pixels();
      changed += (now - u[k]) * (now - u[k]) / frame.pixels();
      u[k] = now;
    }
    if (std::sqrt(changed) <= 0.002 * deviation) break;
  }
  Image out(w, h);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) out.at(x, y) = static_cast<float>(u[at(x, y)]);
  }
  return out;
}

// The rounds, on one plane.
Image of_plane(const PlugAndPlay& f, const ConstView& in, double noise) {
  Image data = f.border == Border::wrap ? Image(in) : reference::tapered(in, f.psf);
  const int width = data.width(), height = data.height();
  const Frame frame(data, f.psf, Border::wrap), seen(windowed(in, width, height), f.psf, Border::wrap);
  const PlainSignal model(frame, noise);
  const double doubt = PlainSignal(seen, std::sqrt(9.0 / 64) * noise).psf_error(), trust = doubt > 0.02 ? 1 : 0.3;
  // What a PSF of another size would add at every frequency, in times of the noise.
  std::vector<double> times(model.h.size(), 1.0);
  double squares = noise * noise;
  model.each([&](std::size_t ring, int u, int v, std::size_t k) {
    const double more = doubt * doubt * std::norm(model.stretch(u, v)) * model.signal[ring];
    times[k] += more / model.floor;
    squares += more / frame.pixels() / frame.pixels();
  });
  const double in_all = std::min(1.0, std::sqrt(squares)),
               error = std::sqrt(PlainSignal(frame, in_all).squared_error()),
               first = std::max(std::min(1.4 * error, 12.0 / 255), 0.3 * in_all), last = std::min(first, 2 * in_all);
  Image now = toward_least_variation(frame, in_all / 4, 30);
  for (int i = 0; i < f.rounds; ++i) {
    const double level = f.rounds > 1 ? first * std::pow(last / first, i / (f.rounds - 1.0)) : last,
                 a = trust * noise * noise / level / level;
    const Image blurred = reference::convolve(now, f.psf.normalized(), Border::wrap, 0, 1);
    for (int y = 0; y < height; ++y) {
      for (int x = 0; x < width; ++x) {
        if (x >= in.width() || y >= in.height()) data.at(x, y) = blurred.at(x, y);
      }
    }
    const Frame of_data(data, f.psf, Border::wrap), of_now(now, f.psf, Border::wrap);
    const Plane h = of_data.transfer(), g = of_data.spectrum(), u = of_now.spectrum();
    Plane next(g.size());
    for (std::size_t k = 0; k < g.size(); ++k)
      next[k] = (std::conj(h[k]) * g[k] + a * times[k] * u[k]) / (std::norm(h[k]) + a * times[k]);
    now = reference::plain(f.with.with_noise(level), of_now.back(std::move(next)));
  }
  return Image(now.view().part({0, 0, in.width(), in.height()}));
}

// A difference of color, by total variation at its automatic weight.
Image of_difference(const PlugAndPlay& f, const ConstView& in, double noise) {
  const Frame frame(in, f.psf, f.border);
  const double error = std::sqrt(PlainSignal(frame, noise).squared_error()),
               weight = noise * std::clamp(0.18 * std::pow(std::max(1e-6, error / noise), -1.1), 0.06, 1.0);
  return Image(toward_least_variation(frame, weight, 40).view().part({0, 0, in.width(), in.height()}));
}

Image plug_and_play(const PlugAndPlay& f, const ConstView& in) {
  std::optional<double> given;
  if (f.noise) given = static_cast<double>(*f.noise);
  return internal::of_finite(in, [&](Image all) {
    if (in.shape.color_channels() == 1) {
      const ConstView gray = all.view().channel(0);
      const Image restored = of_plane(f, gray, at_least_rounding(given, gray, in));
      copy(restored, all.view().channel(0));
      return all;
    }
    // The mean, (R - B) / sqrt 2 and (R - 2 G + B) / sqrt 6.
    Image mean(in.width(), in.height()), first(mean.shape()), second(mean.shape());
    const double to_first = std::sqrt(0.5), to_second = std::sqrt(1 / 6.0);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double r = all.at(x, y, 0), g = all.at(x, y, 1), b = all.at(x, y, 2);
        mean.at(x, y) = static_cast<float>((r + g + b) / 3);
        first.at(x, y) = static_cast<float>(to_first * (r - b));
        second.at(x, y) = static_cast<float>(to_second * (r - 2 * g + b));
      }
    }
    const auto of_mean = given ? std::optional(*given / std::sqrt(3.0)) : std::nullopt;
    mean = of_plane(f, mean, at_least_rounding(of_mean, mean, in));
    first = of_difference(f, first, at_least_rounding(given, first, in));
    second = of_difference(f, second, at_least_rounding(given, second, in));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const double m = mean.at(x, y), p = to_first * static_cast<double>(first.at(x, y)),
                     q = to_second * static_cast<double>(second.at(x, y));
        all.at(x, y, 0) = static_cast<float>(m + p + q);
        all.at(x, y, 1) = static_cast<float>(m - 2 * q);
        all.at(x, y, 2) = static_cast<float>(m - p + q);
      }
    }
    return all;
  });
}

}  // namespace

void internal::define_plug_and_play(reference::Definitions& d) { d.add<PlugAndPlay>(0.03, plug_and_play); }

}  // namespace sieve
