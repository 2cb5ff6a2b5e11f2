#include <algorithm>
#include <cmath>

#include "sieve/core/error.hpp"
#include "sieve/reference/tone.hpp"

namespace sieve::reference {

Image map_colors(const ConstView& in, const std::function<Triple(const Triple&)>& f) {
  Image out(in);
  const bool color = in.shape.color_channels() == 3;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const double first = in.at(x, y);
      const Triple from = color ? Triple{first, in.at(x, y, 1), in.at(x, y, 2)} : Triple{first, first, first};
      if (!std::isfinite(from[0] - from[0] + from[1] - from[1] + from[2] - from[2])) continue;
      const Triple to = f(from);
      for (int c = 0; c < in.shape.color_channels(); ++c)
        out.at(x, y, c) = static_cast<float>(to[static_cast<std::size_t>(c)]);
    }
  }
  return out;
}

double to_light(double v) {
  const double a = std::abs(v);
  return std::copysign(a <= 0.04045 ? a / 12.92 : std::pow((a + 0.055) / 1.055, 2.4), v);
}

double from_light(double v) {
  const double a = std::abs(v);
  return std::copysign(a <= 0.0031308 ? a * 12.92 : 1.055 * std::pow(a, 1 / 2.4) - 0.055, v);
}

namespace {

using Matrix = std::array<Triple, 3>;

constexpr Matrix kCones = {{{0.4122214708, 0.5363325363, 0.0514459929},
                            {0.2119034982, 0.6806995451, 0.1073969566},
                            {0.0883024619, 0.2817188376, 0.6299787005}}};
constexpr Matrix kLab = {{{0.2104542553, 0.7936177850, -0.0040720468},
                          {1.9779984951, -2.4285922050, 0.4505937099},
                          {0.0259040371, 0.7827717662, -0.8086757660}}};

// Gray must have no color at all: rows add up to exactly 1 (cones) and to 1, 0, 0 (lab).
Matrix exact(Matrix m, bool cones) {
  for (std::size_t i = 0; i < 3; ++i) {
    const double sum = m[i][0] + m[i][1] + m[i][2];
    if (cones) {
      for (double& v : m[i]) v /= sum;
    } else {
      m[i][2] += (i == 0 ? 1 : 0) - sum;
    }
  }
  return m;
}

Triple times(const Matrix& m, const Triple& v) {
  const auto row = [&](std::size_t i) { return m[i][0] * v[0] + m[i][1] * v[1] + m[i][2] * v[2]; };
  return {row(0), row(1), row(2)};
}

// Cramer's rule.
Triple solve(const Matrix& m, const Triple& v) {
  const auto det = [](const Matrix& a) {
    return a[0][0] * (a[1][1] * a[2][2] - a[1][2] * a[2][1]) - a[0][1] * (a[1][0] * a[2][2] - a[1][2] * a[2][0]) +
           a[0][2] * (a[1][0] * a[2][1] - a[1][1] * a[2][0]);
  };
  Triple x{};
  for (std::size_t c = 0; c < 3; ++c) {
    Matrix n = m;
    for (std::size_t r = 0; r < 3; ++r) n[r][c] = v[r];
    x[c] = det(n) / det(m);
  }
  return x;
}

}  // namespace

Triple to_oklab(const Triple& rgb) {
  const Triple cones = times(exact(kCones, true), {to_light(rgb[0]), to_light(rgb[1]), to_light(rgb[2])});
  return times(exact(kLab, false), {std::cbrt(cones[0]), std::cbrt(cones[1]), std::cbrt(cones[2])});
}

Triple from_oklab(const Triple& lab) {
  const Triple root = solve(exact(kLab, false), lab);
  const Triple light = solve(exact(kCones, true), {std::pow(root[0], 3), std::pow(root[1], 3), std::pow(root[2], 3)});
  return {from_light(light[0]), from_light(light[1]), from_light(light[2])};
}

Triple to_hsv(const Triple& rgb) {
  const double most = std::max({rgb[0], rgb[1], rgb[2]}), spread = most - std::min({rgb[0], rgb[1], rgb[2]});
  double hue = 0;
  if (spread > 0) {
    if (most == rgb[0]) {
      hue = (rgb[1] - rgb[2]) / spread;
    } else if (most == rgb[1]) {
      hue = 2 + (rgb[2] - rgb[0]) / spread;
    } else {
      hue = 4 + (rgb[0] - rgb[1]) / spread;
    }
  }
  hue /= 6;
  return {hue < 0 ? hue + 1 : hue, most > 0 ? spread / most : 0, most};
}

Triple from_hsv(const Triple& hsv) {
  const double turn = 6 * (hsv[0] - std::floor(hsv[0])), chroma = hsv[2] * hsv[1];
  const auto channel = [&](double n) {
    const double k = std::fmod(n + turn, 6);
    return hsv[2] - chroma * std::clamp(std::min(k, 4 - k), 0.0, 1.0);
  };
  return {channel(5), channel(3), channel(1)};
}

Triple relight(const Triple& rgb, double luma, double to) {
  Triple out{};
  const double from = std::clamp(luma, 0.0, 1.0), goal = std::clamp(to, 0.0, 1.0);
  for (std::size_t c = 0; c < 3; ++c) {
    double v = rgb[c] - (luma - from);
    if (goal <= from && from > 0) {
      v *= goal / from;
    } else if (goal > from) {
      v = 1 - (1 - v) * ((1 - goal) / (1 - from));
    }
    out[c] = v + (to - goal);
  }
  return out;
}

}  // namespace sieve::reference
