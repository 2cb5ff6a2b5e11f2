// Makes the demo pictures of Brackholm Light into a folder: always the same bytes.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <functional>

#include "scene.hpp"
#include "sieve/core/buffers.hpp"
#include "sieve/core/random.hpp"
#include "sieve/io.hpp"

using brackholm::Canvas;
using brackholm::Rgb;

namespace {

std::string folder;

// Rounded here, not by the library's writer, so that the files stay what they are when the library changes.
void save(const std::string& name, int width, int height, int channels,
          const std::function<double(int x, int y, int c)>& f, std::uint32_t white_level = 255) {
  std::vector<std::uint16_t> levels;
  for (int y = 0; y < height; ++y) {
    for (int x = 0; x < width; ++x) {
      for (int c = 0; c < channels; ++c) {
        levels.push_back(static_cast<std::uint16_t>(std::floor(std::clamp(f(x, y, c), 0.0, 1.0) * white_level + 0.5)));
      }
    }
  }
  (void)sieve::io::write(folder + "/" + name,
                         sieve::from_interleaved(levels.data(), width, height, channels, 0, white_level));
}

double channel(const Rgb& p, int c) { return c == 0 ? p.r : c == 1 ? p.g : p.b; }

void save(const std::string& name, const Canvas& v) {
  save(name, v.width, v.height, 3, [&](int x, int y, int c) { return channel(v.at(x, y), c); });
}

Canvas mapped(const Canvas& v, const std::function<Rgb(int x, int y, const Rgb&)>& f) {
  Canvas out(v.width, v.height);
  for (int y = 0; y < v.height; ++y) {
    for (int x = 0; x < v.width; ++x) out.at(x, y) = f(x, y, v.at(x, y));
  }
  return out;
}

Rgb each(const Rgb& p, const std::function<double(double)>& f) { return {f(p.r), f(p.g), f(p.b)}; }

double luma(const Rgb& p) { return 0.2126 * p.r + 0.7152 * p.g + 0.0722 * p.b; }

// Mean over the points of a shape: (dx, dy) offsets with equal weight, edge pixels repeated.
Canvas averaged(const Canvas& v, const std::vector<std::array<double, 2>>& points) {
  return mapped(v, [&](int x, int y, const Rgb&) {
    Rgb sum;
    for (const auto& p : points) {
      const double sx = std::clamp(x + p[0], 0.0, v.width - 1.0), sy = std::clamp(y + p[1], 0.0, v.height - 1.0);
      const int i = std::min(static_cast<int>(sx), v.width - 2), j = std::min(static_cast<int>(sy), v.height - 2);
      const Rgb a = mix(v.at(i, j), v.at(i + 1, j), sx - i), b = mix(v.at(i, j + 1), v.at(i + 1, j + 1), sx - i);
      const Rgb s = mix(a, b, sy - j);
      sum = {sum.r + s.r, sum.g + s.g, sum.b + s.b};
    }
    return times(sum, 1.0 / static_cast<double>(points.size()));
  });
}

std::uint64_t place(int x, int y, int c) {
  return (static_cast<std::uint64_t>(y) * 4096 + static_cast<std::uint64_t>(x)) * 4 + static_cast<std::uint64_t>(c);
}

Rgb grainy(const Rgb& p, int x, int y, const sieve::RandomStream& random,
           const std::function<double(double)>& deviation) {
  return {p.r + deviation(p.r) * random.normal(place(x, y, 0)), p.g + deviation(p.g) * random.normal(place(x, y, 1)),
          p.b + deviation(p.b) * random.normal(place(x, y, 2))};
}

// The uneven light of a desk lamp at the upper left, as a factor.
double lamp(double x, double y) {
  const double dx = (x - 150) / 300, dy = (y - 110) / 260;
  return 0.22 + 0.78 * std::exp(-0.5 * (dx * dx + dy * dy));
}

}  // namespace

int main(int argc, char** argv) {
  if (argc != 2) {
    fmt::print(stderr, "usage: make_demo FOLDER\n");
    return 2;
  }
  folder = argv[1];
  std::filesystem::create_directories(folder);
  const Canvas noon = brackholm::noon();
  save("noon.png", noon);

  // Fog: light scattered in, more with distance (the upper and the far part of the view).
  save("fog.png", mapped(noon, [](int x, int y, const Rgb& p) {
         const double far = std::clamp(
             0.74 - 0.20 * std::abs(y - 286) / 226.0 + 0.05 * brackholm::fractal(x / 160.0, y / 90.0, 4, 0.5, 91), 0.0,
             1.0);
         return mix(p, {0.69, 0.70, 0.71}, far);
       }));
  save("overexposed.png", mapped(noon, [](int, int, const Rgb& p) {
         return each(p, [](double v) { return 1.05 * std::pow(2.1 * std::pow(v, 2.2), 1 / 2.2); });
       }));
  save("underexposed.png", mapped(noon, [](int, int, const Rgb& p) {
         return each(p, [](double v) { return std::pow(0.030 * std::pow(v, 2.2), 1 / 2.2) * 0.72; });
       }));

  // Night: the lamp and two lit windows, and the grain of a sensor at high gain (photon and read noise).
  const sieve::RandomStream night_noise(77);
  save("night.png", mapped(noon, [&](int x, int y, const Rgb& p) {
         const double dx = x - 236, dy = y - 55, r = std::sqrt(dx * dx + dy * dy);
         const double glow = 0.9 * std::exp(-r / 16) + 0.16 * std::exp(-r / 90);
         const double beam =
             x > 240 ? 0.30 * std::exp(-std::abs(dy + 0.05 * dx) / (5 + 0.03 * dx)) * std::exp(-dx / 420) : 0;
         const bool window = y > 218 && y < 238 && ((x > 106 && x < 120) || (x > 158 && x < 172));
         Rgb q = {0.035 + 0.10 * p.r, 0.045 + 0.11 * p.g, 0.075 + 0.14 * p.b};
         q = {q.r + glow + beam + (window ? 0.55 : 0), q.g + 0.93 * glow + 0.95 * beam + (window ? 0.42 : 0),
              q.b + 0.70 * glow + 0.8 * beam + (window ? 0.18 : 0)};
         return grainy(q, x, y, night_noise,
                       [](double v) { return std::sqrt(0.026 * 0.026 + 0.0030 * std::max(v, 0.0)); });
       }));

  // Dead and hot pixels: 1.5 % each, in single channels as on a color sensor, and two dead columns.
  const sieve::RandomStream pixels(5);
  save("dead_pixels.png", mapped(noon, [&](int x, int y, const Rgb& p) {
         double v[3] = {p.r, p.g, p.b};
         for (int c = 0; c < 3; ++c) {
           const double u = pixels.uniform(place(x, y, c));
           if (u < 0.015) v[c] = 0;
           if (u > 0.985) v[c] = 1;
         }
         if (x == 411 || x == 655) v[0] = v[1] = v[2] = 0;
         return Rgb{v[0], v[1], v[2]};
       }));

  // Shaken: 15 pixels at 25 degrees. Out of focus: a disk of radius 5.
  std::vector<std::array<double, 2>> path, disk;
  for (int i = 0; i < 31; ++i)
    path.push_back({(i - 15) * 0.5 * std::cos(25 * 3.14159265358979 / 180),
                    -(i - 15) * 0.5 * std::sin(25 * 3.14159265358979 / 180)});
  for (int j = -10; j <= 10; ++j) {
    for (int i = -10; i <= 10; ++i) {
      if (i * i + j * j <= 100) disk.push_back({i * 0.5, j * 0.5});
    }
  }
  save("shaken.png", averaged(noon, path));
  save("out_of_focus.png", averaged(noon, disk));

  // A log page under a desk lamp, and the flat frame of the empty desk (both with a little grain).
  Canvas page(512, 384);
  for (int y = 0; y < page.height; ++y) {
    for (int x = 0; x < page.width; ++x) {
      const double fiber = 0.02 * brackholm::fractal(x / 6.0, y / 6.0, 4, 0.6, 61);
      page.at(x, y) = {0.90 + fiber, 0.88 + fiber, 0.82 + fiber};
    }
  }
  const char* entries[] = {"BRACKHOLM LIGHT - STATION LOG",
                           "0400 WIND NW 6 SEA 5 GLASS 1004",
                           "0800 FOG LIFTED. LAMP OUT 0752",
                           "1200 KETCH SKUA 3 NM NORTH",
                           "1600 FLAT FRAME TAKEN. LENS CLEAN",
                           "2000 LAMP LIT 1947. 10S CHECKED",
                           "2400 ALL WELL"};
  for (int i = 0; i < 7; ++i) {
    brackholm::lettering(page, entries[i], 40, 44 + 44 * i, i == 0 ? 15 : 11, i == 0 ? 2.0 : 1.4, {0.14, 0.15, 0.25});
    brackholm::line(page, 34, 68 + 44 * i, 478, 68 + 44 * i, 0.8, {0.55, 0.62, 0.70}, 0.7);
  }
  brackholm::disk(page, 430, 330, 26, {0.62, 0.42, 0.25}, 0.35);
  const sieve::RandomStream lamp_noise(8), flat_noise(9);
  save("lamp.png", page.width, page.height, 1,
       [&](int x, int y, int) { return luma(page.at(x, y)) * lamp(x, y) + 0.006 * lamp_noise.normal(place(x, y, 0)); });
  save("lamp_flat.png", page.width, page.height, 1,
       [&](int x, int y, int) { return 0.88 * lamp(x, y) + 0.006 * flat_noise.normal(place(x, y, 0)); });

  // Line hum: stripes of period 7.3 pixels at 12 degrees, with a second harmonic.
  save("hum.png", mapped(noon, [](int x, int y, const Rgb& p) {
         const double turn = 2 * 3.14159265358979 *
                             (x * std::sin(12 * 3.14159265358979 / 180) + y * std::cos(12 * 3.14159265358979 / 180)) /
                             7.3;
         const double h = 0.085 * std::sin(turn) + 0.025 * std::sin(2 * turn + 0.7);
         return Rgb{p.r + h, p.g + h, p.b + h};
       }));

  // Four steps of gray with grain whose histogram peaks run together.
  const sieve::RandomStream chart_noise(12);
  save("chart.png", 384, 256, 1,
       [&](int x, int y, int) { return 0.26 + 0.16 * (x / 96) + 0.055 * chart_noise.normal(place(x, y, 0)); });

  // A negative plate: the inverted luma with the density of the film base.
  save("negative.png", noon.width, noon.height, 1,
       [&](int x, int y, int) { return 0.10 + 0.78 * (1 - std::pow(luma(noon.at(x, y)), 1.1)); });

  // 64x64 with 3 bits: the tower's head in eight levels, with some of them rare.
  save(
      "three_bit.pgm", 64, 64, 1,
      [&](int x, int y, int) {
        double sum = 0;
        for (int j = 0; j < 2; ++j) {
          for (int i = 0; i < 2; ++i) sum += luma(noon.at(172 + 2 * x + i, 2 + 2 * y + j));
        }
        return std::pow(sum / 4, 1.7) * 0.92;
      },
      7);
  return 0;
}
