// Restoration by a denoiser, round by round as its formula has it.

#include <algorithm>
#include <cmath>
#include <numbers>
#include <optional>
#include <vector>

#include "reference/families.hpp"
#include "reference/frame.hpp"
#include "sieve/filter/plug_and_play.hpp"
#include "sieve/reference/quality.hpp"
#include "sieve/reference/restore.hpp"
#include "sieve/reference/spatial.hpp"

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

Image in_frame(const ConstView& in, int width, int height) {
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

// A plane behind a PSF and noise: its power S by rings, where that can be told by a line through the others.
struct Model {
  Model(const Frame& f, double noise) : frame(f), h(f.transfer()), g(f.spectrum()), floor(noise * noise * f.pixels()) {
    std::vector<double> power(kRings), passed(kRings), count(kRings), xs, ys;
    std::vector<bool> seen(kRings);
    each([&](std::size_t i, int, int, std::size_t k) {
      power[i] += std::norm(g[k]), passed[i] += std::norm(h[k]), count[i] += 1;
    });
    signal.resize(kRings);
    const auto place = [](std::size_t i) { return std::log(static_cast<double>(i) + 0.5); };
    for (std::size_t i = 0; i < kRings; ++i) {
      if (count[i] == 0) continue;
      signal[i] = std::max(0.0, power[i] / count[i] - floor) / std::max(1e-12, passed[i] / count[i]);
      seen[i] = passed[i] / count[i] >= 0.1 && power[i] / count[i] >= 2 * floor && signal[i] > 0;
      if (seen[i] && i > 0) xs.push_back(place(i)), ys.push_back(std::log(signal[i]));
    }
    if (xs.empty()) return;
    // The line of least squares through the points.
    const auto n = static_cast<double>(xs.size());
    double mx = 0, my = 0, xx = 0, xy = 0;
    for (std::size_t i = 0; i < xs.size(); ++i) mx += xs[i] / n, my += ys[i] / n;
    for (std::size_t i = 0; i < xs.size(); ++i) xx += (xs[i] - mx) * (xs[i] - mx), xy += (xs[i] - mx) * (ys[i] - my);
    const double slope = xs.size() >= 3 && xx > 0 ? std::clamp(xy / xx, -6.0, -1.0) : -2.5;
    for (std::size_t i = 0; i < kRings; ++i) {
      if (!seen[i]) signal[i] = std::exp(my + slope * (place(i) - mx));
    }
  }

  // work(ring, u, v, place) for every frequency but 0.
  template <class Work>
  void each(Work work) const {
    for (int v = 0; v < frame.height(); ++v) {
      for (int u = 0; u < frame.width(); ++u) {
        const double far = std::hypot(frame.frequency_across(u), frame.frequency_down(v)) / 0.7072;
        if (u != 0 || v != 0)
          work(std::min(kRings - 1, static_cast<std::size_t>(far * kRings)), u, v, frame.place(u, v));
      }
    }
  }

  // The mean of S N / (|H|^2 S + N).
  double squared_error() const {
    double sum = 0;
    each([&](std::size_t i, int, int, std::size_t k) {
      if (signal[i] > 0) sum += signal[i] * floor / (std::norm(h[k]) * signal[i] + floor);
    });
    return sum / frame.pixels() / frame.pixels();
  }

  // The change of H with the size of the PSF: H of a frequency 4 % higher, bilinear between those of the frame. By
  // half planes, as the other half is its conjugate.
  Complex stretch(int u, int v) const {
    const int w = frame.width(), rows = frame.height(), half = w / 2;
    if (u > half) return std::conj(stretch(w - u, (rows - v) % rows));
    const double x = std::min(1.04 * u, static_cast<double>(half)),
                 y = std::clamp(1.04 * (2 * v > rows ? v - rows : v), -0.5 * rows, 0.5 * rows);
    const int x0 = std::min(static_cast<int>(x), half - 1), y0 = static_cast<int>(std::floor(y));
    const auto at = [&](int i, int j) { return h[frame.place(i, (j + rows) % rows)]; };
    const double a = x - x0, b = y - y0;
    return ((1 - b) * ((1 - a) * at(x0, y0) + a * at(x0 + 1, y0)) +
            b * ((1 - a) * at(x0, y0 + 1) + a * at(x0 + 1, y0 + 1)) - h[frame.place(u, v)]) /
           0.04;
  }

  // By which share the size of the PSF seems to be wrong.
  double psf_error() const {
    std::vector<double> shares;
    each([&](std::size_t i, int u, int v, std::size_t k) {
      if (u < 2 || 2 * u > frame.width() || v < 2 || v + 1 >= frame.height()) return;
      const double by_size = std::norm(stretch(u, v)) * signal[i];
      if (std::norm(h[k]) * signal[i] <= floor && 0.01 * by_size > floor)
        shares.push_back((std::norm(g[k]) - floor) / by_size);
    });
    if (shares.size() < 30) return 0;
    std::sort(shares.begin(), shares.end());
    return std::min(0.15, std::sqrt(std::max(0.0, shares[shares.size() / 2] / 0.693)));
  }

  static constexpr std::size_t kRings = 64;
  const Frame& frame;
  Plane h, g;
  double floor;
  std::vector<double> signal;
};

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

double at_least_rounding(const std::optional<double>& given, const ConstView& plane, std::uint32_t white_level) {
  double most = 0;
  for (int y = 0; y < plane.height(); ++y) {
    for (int x = 0; x < plane.width(); ++x) most = std::max(most, std::abs(static_cast<double>(plane.at(x, y))));
  }
  const double least = std::max(1e-4, 6e-8 * most);
  if (given) return std::max(least, *given);
  return std::max({least, white_level > 0 ? 1 / std::sqrt(12.0) / white_level : 0, reference::noise_level(plane)});
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
  const int room = std::max({8, f.psf.width(), f.psf.height()});
  const bool wraps = f.border == Border::wrap;
  const int width = wraps ? in.width() : even_size(in.width() + room),
            height = wraps ? in.height() : even_size(in.height() + room);
  Image data = in_frame(in, width, height);
  const Frame frame(data, f.psf, Border::wrap), seen(windowed(in, width, height), f.psf, Border::wrap);
  const Model model(frame, noise);
  const double doubt = Model(seen, std::sqrt(9.0 / 64) * noise).psf_error(), trust = doubt > 0.02 ? 1 : 0.3;
  // What a PSF of another size would add at every frequency, in times of the noise.
  std::vector<double> times(model.h.size(), 1.0);
  double squares = noise * noise;
  model.each([&](std::size_t ring, int u, int v, std::size_t k) {
    const double more = doubt * doubt * std::norm(model.stretch(u, v)) * model.signal[ring];
    times[k] += more / model.floor;
    squares += more / frame.pixels() / frame.pixels();
  });
  const double in_all = std::min(1.0, std::sqrt(squares)), error = std::sqrt(Model(frame, in_all).squared_error()),
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
  const double error = std::sqrt(Model(frame, noise).squared_error()),
               weight = noise * std::clamp(0.18 * std::pow(std::max(1e-6, error / noise), -1.1), 0.06, 1.0);
  return toward_least_variation(frame, weight, 40);
}

Image plug_and_play(const PlugAndPlay& f, const ConstView& in) {
  std::optional<double> given;
  if (f.noise) given = static_cast<double>(*f.noise);
  return internal::of_finite(in, [&](Image all) {
    if (in.shape.color_channels() == 1) {
      const ConstView gray = all.view().channel(0);
      const Image restored = of_plane(f, gray, at_least_rounding(given, gray, in.white_level));
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
    mean = of_plane(f, mean, at_least_rounding(of_mean, mean, in.white_level));
    first = of_difference(f, first, at_least_rounding(given, first, in.white_level));
    second = of_difference(f, second, at_least_rounding(given, second, in.white_level));
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
