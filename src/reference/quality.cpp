#include "sieve/reference/quality.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "reference/plain_fourier.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/error.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/reference/tone.hpp"

namespace sieve::reference {

namespace {

double lower_middle(std::vector<double> values) {
  std::sort(values.begin(), values.end());
  return values[(values.size() - 1) / 2];
}

}  // namespace

double noise_level(const ConstView& in) {
  constexpr int kMask[3][3] = {{1, -2, 1}, {-2, 4, -2}, {1, -2, 1}};
  const int across = std::max(1, in.width() / 16), down = std::max(1, in.height() / 16);
  const auto tile = [&](int x, int y) { return static_cast<std::size_t>(y * across + x); };
  double all = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const std::size_t count = tile(0, down);
    std::vector<std::vector<double>> sizes(count), inside(count);
    std::vector<int> samples(count), ends(count);
    std::vector<double> sums(count);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        double sum = 0;
        for (int j = -1; j <= 1; ++j) {
          for (int i = -1; i <= 1; ++i) sum += kMask[j + 1][i + 1] * sample(in, x + i, y + j, c, Border::edge, 0);
        }
        // The last tile that begins at this pixel or before it.
        int u = across - 1, v = down - 1;
        while (in.width() * u / across > x) --u;
        while (in.height() * v / down > y) --v;
        ++samples[tile(u, v)];
        sums[tile(u, v)] += static_cast<double>(in.at(x, y, c));
        ends[tile(u, v)] += in.at(x, y, c) == 0 || in.at(x, y, c) == 1;
        if (!std::isfinite(sum)) continue;
        sizes[tile(u, v)].push_back(std::abs(sum));
        const int left = in.width() * u / across, right = in.width() * (u + 1) / across, top = in.height() * v / down,
                  bottom = in.height() * (v + 1) / down;
        if (std::min({x - left, right - 1 - x, y - top, bottom - 1 - y}) >= 2)
          inside[tile(u, v)].push_back(std::abs(sum));
      }
    }
    struct Ranked {
      double beside, mean;
      std::size_t tile;
    };
    std::vector<Ranked> open, any;
    for (int y = 0; y < down; ++y) {
      for (int x = 0; x < across; ++x) {
        Ranked r{0, std::isfinite(sums[tile(x, y)]) ? sums[tile(x, y)] / samples[tile(x, y)] : 0, tile(x, y)};
        for (int v = 0; v < down; ++v) {
          for (int u = 0; u < across; ++u) {
            if (std::abs(u - x) + std::abs(v - y) == 1 && !inside[tile(u, v)].empty())
              r.beside = std::max(r.beside, lower_middle(inside[tile(u, v)]));
          }
        }
        if (sizes[r.tile].empty()) continue;
        any.push_back(r);
        if (50 * ends[r.tile] <= samples[r.tile]) open.push_back(r);
      }
    }
    if (any.empty()) throw InvalidArgument("noise_level: no sample has eight finite neighbors");
    if (4 * open.size() > any.size()) {
      std::stable_sort(open.begin(), open.end(), [](const Ranked& a, const Ranked& b) { return a.mean < b.mean; });
      any.clear();
      for (std::size_t k = 0; k < 8; ++k) {
        std::vector<Ranked> part(open.begin() + static_cast<std::ptrdiff_t>(open.size() * k / 8),
                                 open.begin() + static_cast<std::ptrdiff_t>(open.size() * (k + 1) / 8));
        std::sort(part.begin(), part.end(), [](const Ranked& a, const Ranked& b) {
          return a.beside != b.beside ? a.beside < b.beside : a.tile < b.tile;
        });
        part.resize(std::min(part.size(), std::max<std::size_t>(4, part.size() / 10)));
        any.insert(any.end(), part.begin(), part.end());
      }
    }
    std::vector<double> chosen;
    for (const Ranked& r : any) chosen.insert(chosen.end(), sizes[r.tile].begin(), sizes[r.tile].end());
    all += lower_middle(chosen) / (0.6745 * 6);
  }
  return all / in.shape.color_channels();
}

namespace {

constexpr double kPi = std::numbers::pi;

// Numbers at every pixel or frequency.
struct Grid {
  int width, height;
  std::vector<double> values;
  double& at(int x, int y) {
    return values[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
  }
  double at(int x, int y) const {
    return values[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
  }
  double wrapped(int x, int y) const { return at((x + 2 * width) % width, (y + 2 * height) % height); }
};

Grid empty_grid(int w, int h) {
  return {w, h, std::vector<double>(static_cast<std::size_t>(w) * static_cast<std::size_t>(h))};
}

Grid luma_grid(const ConstView& in) {
  Grid t = empty_grid(in.width(), in.height());
  const Image gray = reference::gray(in, GrayBy::rec709);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const double v = static_cast<double>(gray.at(x, y));
      t.at(x, y) = std::isfinite(v) ? v : 0;
    }
  }
  return t;
}

double hann(int i, int n) { return 0.5 - 0.5 * std::cos(2 * kPi * (i + 0.5) / n); }

// The size of every coefficient of the picture less its slow changes and its mean, under a Hann window; frequency
// (u, v) at place (u mod w, v mod h).
Grid magnitudes(const Grid& gray, double slow_sigma) {
  const int w = gray.width, h = gray.height;
  Image picture(w, h);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) picture.at(x, y) = static_cast<float>(gray.at(x, y));
  }
  const Image slow = gaussian(picture, slow_sigma, Border::mirror, 0);
  std::vector<std::complex<double>> plane;
  double mean = 0;
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) {
      plane.emplace_back(gray.at(x, y) - static_cast<double>(slow.at(x, y)));
      mean += plane.back().real() / (static_cast<double>(w) * h);
    }
  }
  for (int i = 0; i < w * h; ++i)
    plane[static_cast<std::size_t>(i)] = (plane[static_cast<std::size_t>(i)] - mean) * hann(i % w, w) * hann(i / w, h);
  internal::fourier_by_sums(plane, w, h, -1);
  Grid size = empty_grid(w, h);
  for (std::size_t i = 0; i < plane.size(); ++i) size.values[i] = std::abs(plane[i]) / (static_cast<double>(w) * h);
  return size;
}

// The median of the window about a place; the spectrum repeats.
double ground(const Grid& size, int u, int v, int radius) {
  std::vector<double> window;
  for (int j = -radius; j <= radius; ++j) {
    for (int i = -radius; i <= radius; ++i) window.push_back(size.wrapped(u + i, v + j));
  }
  std::sort(window.begin(), window.end());
  return window[window.size() / 2];
}

// The top of the parabola through three logarithms, -0.5..0.5 from the middle one.
double top(double before, double here, double after) {
  const double p = std::log(before), q = std::log(here), r = std::log(after), bend = p - 2 * q + r;
  return bend < 0 ? std::clamp((p - r) / (2 * bend), -0.5, 0.5) : 0;
}

// The Hann window's answer to a wave `d` places off the grid.
double lobe(double d) { return d == 0 ? 1 : std::sin(kPi * d) / (kPi * d * (1 - d * d)); }

// The size of a wave in a block, under a Hann window.
double size_in_block(const Grid& gray, const PeriodicWave& wave, int x0, int y0, int side) {
  double mean = 0, weights = 0;
  std::complex<double> sum = 0;
  for (int pass = 0; pass < 2; ++pass) {
    for (int y = 0; y < side; ++y) {
      for (int x = 0; x < side; ++x) {
        const double t = hann(x, side) * hann(y, side), v = gray.at(x0 + x, y0 + y);
        if (pass == 0) mean += t * v, weights += t;
        if (pass == 1) sum += t * (v - mean / weights) * std::polar(1.0, -2 * kPi * (wave.fx * x + wave.fy * y));
      }
    }
  }
  return std::abs(sum) / weights;
}

// Alike all over the picture: in a quarter of the blocks at least 0.35 of what it is in the upper quarter.
bool everywhere(const Grid& gray, const PeriodicWave& wave) {
  const int least = std::min(gray.width, gray.height),
            side = std::min(least, std::max({8, least / 10, static_cast<int>(std::lround(2.5 * wave.period))}));
  std::vector<double> sizes;
  for (int y = 0; y + side <= gray.height; y += side) {
    for (int x = 0; x + side <= gray.width; x += side) sizes.push_back(size_in_block(gray, wave, x, y, side));
  }
  std::sort(sizes.begin(), sizes.end());
  return sizes[sizes.size() / 4] >= 0.35 * sizes[sizes.size() * 3 / 4];
}

}  // namespace

std::vector<PeriodicWave> find_periodic_noise(const ConstView& in, int most) {
  const int w = in.width(), h = in.height(), least = std::min(w, h);
  if (least < 16) return {};
  const double longest = std::min(32.0, least / 8.0);
  const Grid gray = luma_grid(in), size = magnitudes(gray, longest / 4);
  // What noise brings forth once in a thousand pictures: P(|F| > t median) = 2^(-t^2).
  const double enough = std::max(8.0, std::sqrt(std::log2(500.0 * w * h)));
  std::vector<PeriodicWave> waves;
  // One of each pair of mirror points; not the rim, where the neighbors are those of the other side.
  for (int v = 0; v < h - h / 2 - 1; ++v) {
    for (int u = 1 - w / 2; u < w - w / 2 - 1; ++u) {
      if (v == 0 && u <= 0) continue;
      if (std::hypot(static_cast<double>(u) / w, static_cast<double>(v) / h) < 1 / longest) continue;
      const double here = size.wrapped(u, v), around = ground(size, u, v, std::min(8, least / 4));
      if (!(around > 0) || here <= enough * around) continue;
      double beside = 0, skirt = 0;
      for (int j = -4; j <= 4; ++j) {
        for (int i = -4; i <= 4; ++i) {
          const int far = std::max(std::abs(i), std::abs(j));
          if (far == 1) beside = std::max(beside, size.wrapped(u + i, v + j));
          const bool inside = u + i >= -(w / 2) && u + i < w - w / 2 && v + j >= -(h / 2) && v + j < h - h / 2;
          if (far == 4 && inside) skirt = std::max(skirt, size.wrapped(u + i, v + j));
        }
      }
      if (here < beside || skirt > 0.2 * here) continue;
      const double across = top(size.wrapped(u - 1, v), here, size.wrapped(u + 1, v)),
                   down = top(size.wrapped(u, v - 1), here, size.wrapped(u, v + 1));
      PeriodicWave wave;
      wave.fx = (u + across) / w;
      wave.fy = (v + down) / h;
      wave.period = 1 / std::hypot(wave.fx, wave.fy);
      wave.angle = std::fmod(std::atan2(wave.fy, wave.fx) * 180 / kPi + 180, 180);
      const double turn = 2 * kPi / wave.period * longest / 4, passed = 1 - std::exp(-turn * turn / 2);
      wave.amplitude = 2 * here / (0.25 * lobe(across) * lobe(down) * passed);
      wave.excess = here / around;
      waves.push_back(wave);
    }
  }
  std::stable_sort(waves.begin(), waves.end(),
                   [](const PeriodicWave& a, const PeriodicWave& b) { return a.amplitude > b.amplitude; });
  if (waves.size() > 40) waves.resize(40);
  std::vector<PeriodicWave> found;
  for (const PeriodicWave& wave : waves) {
    if (static_cast<int>(found.size()) < most && everywhere(gray, wave)) found.push_back(wave);
  }
  return found;
}

}  // namespace sieve::reference
