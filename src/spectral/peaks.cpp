#include "sieve/spectral/peaks.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/at_share.hpp"
#include "core/luma.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve {

using namespace internal;

namespace {

// Place of the top of a parabola through three values, -0.5..0.5 from the middle one.
double top(double before, double at, double after) {
  const double bend = before - 2 * at + after;
  return bend < 0 ? std::clamp(0.5 * (before - after) / bend, -0.5, 0.5) : 0;
}

// What a Hann window lets through of a wave that lies `d` places off the grid.
double lobe(double d) { return d == 0 ? 1 : std::sin(std::numbers::pi * d) / (std::numbers::pi * d * (1 - d * d)); }

// Of the square of that half-width about a place of a plane that repeats itself. Few places need one.
float median_around(const Image& plane, int x, int y, int radius) {
  std::vector<float> values;
  for (int j = -radius; j <= radius; ++j) {
    for (int i = -radius; i <= radius; ++i)
      values.push_back(plane.at((x + i + plane.width()) % plane.width(), (y + j + plane.height()) % plane.height()));
  }
  return at_share(values, 0.5);
}

// Whether a wave is in the whole picture, more or less alike: its size in blocks, each under a Hann window, is in a
// quarter of them no less than 0.35 of what it is in the upper quarter. Ruled lines and fences end somewhere.
bool everywhere(const Image& gray, const PeriodicWave& wave) {
  const int w = gray.width(), h = gray.height();
  const int side =
      std::min(std::min(w, h), std::max({8, std::min(w, h) / 10, static_cast<int>(std::lround(2.5 * wave.period))}));
  const int across = w / side, down = h / side;
  // The window, and with the wave along both ways.
  const auto n = static_cast<std::size_t>(side);
  std::vector<double> window(n);
  std::vector<std::complex<double>> wave_x(n), wave_y(n);
  double weight = 0;
  std::complex<double> all_x = 0, all_y = 0;
  for (std::size_t i = 0; i < n; ++i) {
    const double k = static_cast<double>(i);
    window[i] = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * (k + 0.5) / side);
    weight += window[i];
    all_x += wave_x[i] = window[i] * std::polar(1.0, -2 * std::numbers::pi * wave.fx * k);
    all_y += wave_y[i] = window[i] * std::polar(1.0, -2 * std::numbers::pi * wave.fy * k);
  }
  std::vector<double> sizes(static_cast<std::size_t>(across) * static_cast<std::size_t>(down));
  parallel_rows(across * down, RowCost(n * n, 2), [&](int first, int last) {
    for (int b = first; b < last; ++b) {
      double mean = 0;
      std::complex<double> sum = 0;
      for (std::size_t y = 0; y < n; ++y) {
        const float* row = gray.view().row(b / across * side + static_cast<int>(y), 0) + b % across * side;
        double of_row = 0, re = 0, im = 0;
        for (std::size_t x = 0; x < n; ++x) {
          const double v = static_cast<double>(row[x]);
          of_row += window[x] * v;
          re += wave_x[x].real() * v;
          im += wave_x[x].imag() * v;
        }
        mean += window[y] * of_row;
        sum += wave_y[y] * std::complex<double>(re, im);
      }
      sum -= mean / (weight * weight) * all_x * all_y;
      sizes[static_cast<std::size_t>(b)] = std::abs(sum) / (weight * weight);
    }
  });
  std::sort(sizes.begin(), sizes.end());
  const double low = sizes[sizes.size() / 4], high = sizes[sizes.size() * 3 / 4];
  return low >= 0.35 * high;
}

}  // namespace

std::vector<PeriodicWave> find_periodic_noise(const ConstView& in, int most) {
  require_input(in, "find_periodic_noise");
  const int w = in.width(), h = in.height();
  if (std::min(w, h) < 16) return {};
  Image gray = luma_of(in);
  gray = map_samples(gray, [](float v) { return std::isfinite(v) ? v : 0; });
  // Slow content is far stronger than interference and would leak into its neighborhood.
  const double longest = std::min(32.0, std::min(w, h) / 8.0);
  const Image slow = Gaussian{.sigma = static_cast<float>(longest / 4), .border = Border::mirror}(gray);
  const Spectrum s = spectrum(map_pairs(gray, slow, [](float a, float b) { return a - b; }), Taper::hann);
  const int cx = w / 2, cy = h / 2;
  const Image size = spectrum_image(s, SpectrumShown::magnitude);
  // Magnitudes of noise follow Rayleigh's law: P(|F| > t median) = 2^(-t^2).
  const double chance = std::sqrt(std::log2(1000.0 * w * h / 2)), enough = std::max(8.0, chance);
  std::vector<PeriodicWave> waves;
  for (int y = 1; y + 1 < h; ++y) {
    checkpoint();
    for (int x = 1; x + 1 < w; ++x) {
      const int u = x - cx, v = y - cy;
      if (v < 0 || (v == 0 && u <= 0)) continue;
      const double fx = static_cast<double>(u) / w, fy = static_cast<double>(v) / h;
      if (std::hypot(fx, fy) < 1 / longest) continue;
      const float here = size.at(x, y);
      bool highest = true;
      for (int j = -1; j <= 1 && highest; ++j) {
        for (int i = -1; i <= 1; ++i)
          highest = highest && ((i == 0 && j == 0) || here > size.at(x + i, y + j) ||
                                (here == size.at(x + i, y + j) && (j > 0 || (j == 0 && i > 0))));
      }
      if (!highest) continue;
      // The main lobe of a Hann window ends two places from its top: a wider hill is no wave.
      float skirt = 0;
      for (int j = -4; j <= 4; ++j) {
        for (int i = -4; i <= 4; ++i) {
          const int px = x + i, py = y + j;
          if (std::max(std::abs(i), std::abs(j)) == 4 && px >= 0 && py >= 0 && px < w && py < h)
            skirt = std::max(skirt, size.at(px, py));
        }
      }
      if (skirt > 0.2F * here) continue;
      const float ground = median_around(size, x, y, std::min(8, std::min(w, h) / 4));
      if (!(here > static_cast<float>(enough) * ground) || ground <= 0) continue;
      const auto log_at = [&](int i, int j) {
        return std::log(std::max(1e-30, static_cast<double>(size.at(x + i, y + j))));
      };
      PeriodicWave wave;
      const double across = top(log_at(-1, 0), log_at(0, 0), log_at(1, 0)),
                   down = top(log_at(0, -1), log_at(0, 0), log_at(0, 1));
      wave.fx = (u + across) / w;
      wave.fy = (v + down) / h;
      // Between two points of the grid the top may lie beyond the middle: the mirror point is the same wave.
      if (wave.fy < 0 || (wave.fy == 0 && wave.fx < 0)) wave.fx = -wave.fx, wave.fy = -wave.fy;
      wave.period = 1 / std::hypot(wave.fx, wave.fy);
      wave.angle = std::fmod(std::atan2(wave.fy, wave.fx) * 180 / std::numbers::pi + 180, 180);
      // The mean of the window, 1/4, and the share of its lobe that the grid meets; both mirror points make up the
      // wave. What the slow part took is made up for.
      const double passed = 1 - std::exp(-0.5 * std::pow(2 * std::numbers::pi * longest / 4 / wave.period, 2));
      wave.amplitude = 2 * static_cast<double>(here) / (0.25 * lobe(across) * lobe(down) * passed);
      wave.excess = static_cast<double>(here / ground);
      waves.push_back(wave);
    }
  }
  std::sort(waves.begin(), waves.end(),
            [](const PeriodicWave& a, const PeriodicWave& b) { return a.amplitude > b.amplitude; });
  // Enough are held against the picture itself, the strongest first.
  constexpr std::size_t enough_tried = 40;
  if (waves.size() > enough_tried) waves.resize(enough_tried);
  std::erase_if(waves, [&](const PeriodicWave& wave) { return !everywhere(gray, wave); });
  if (static_cast<int>(waves.size()) > most) waves.resize(static_cast<std::size_t>(std::max(0, most)));
  return waves;
}

}  // namespace sieve
