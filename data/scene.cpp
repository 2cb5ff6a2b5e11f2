#include "scene.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "sieve/core/random.hpp"

namespace brackholm {

namespace {

double lattice(std::int64_t i, std::int64_t j, std::uint64_t seed) {
  const sieve::RandomStream random(seed, static_cast<std::uint64_t>(j + (std::int64_t{1} << 31)));
  return 2 * random.uniform(static_cast<std::uint64_t>(i + (std::int64_t{1} << 31))) - 1;
}

double blend(double t) { return t * t * t * (t * (t * 6 - 15) + 10); }

void over(Rgb& under, const Rgb& color, double a) { under = mix(under, color, std::clamp(a, 0.0, 1.0)); }

// f(x, y) gives the coverage of each pixel in a box around the shape.
template <class F>
void cover(Canvas& c, double x0, double y0, double x1, double y1, const Rgb& color, double opacity, F f) {
  const int left = std::max(0, static_cast<int>(std::floor(x0))),
            right = std::min(c.width - 1, static_cast<int>(std::ceil(x1)));
  const int top = std::max(0, static_cast<int>(std::floor(y0))),
            bottom = std::min(c.height - 1, static_cast<int>(std::ceil(y1)));
  for (int y = top; y <= bottom; ++y) {
    for (int x = left; x <= right; ++x) {
      const double a = std::clamp(f(x + 0.5, y + 0.5), 0.0, 1.0);
      if (a > 0) over(c.at(x, y), color, a * opacity);
    }
  }
}

double segment_distance(double px, double py, double x0, double y0, double x1, double y1) {
  const double dx = x1 - x0, dy = y1 - y0, n = dx * dx + dy * dy;
  const double t = n > 0 ? std::clamp(((px - x0) * dx + (py - y0) * dy) / n, 0.0, 1.0) : 0;
  const double ex = px - x0 - t * dx, ey = py - y0 - t * dy;
  return std::sqrt(ex * ex + ey * ey);
}

// Each letter as strokes between points of a grid 4 wide and 6 high, "x0y0x1y1" a stroke.
const std::map<char, std::string>& letters() {
  static const std::map<char, std::string> all = {{'A', "062020461333"},
                                                  {'B', "0006003030414142423303333344444545363606"},
                                                  {'C', "400000060646"},
                                                  {'D', "000600303042424444363606"},
                                                  {'E', "0040000606460333"},
                                                  {'F', "000600400333"},
                                                  {'G', "40000006064646434323"},
                                                  {'H', "000640460343"},
                                                  {'I', "2026"},
                                                  {'K', "000603400346"},
                                                  {'L', "00060646"},
                                                  {'M', "0600002323404046"},
                                                  {'N', "060000464640"},
                                                  {'O', "0040404646060600"},
                                                  {'P', "0006004040434303"},
                                                  {'R', "00060040404343032346"},
                                                  {'S', "40000003034343464606"},
                                                  {'T', "00402026"},
                                                  {'U', "000606464640"},
                                                  {'V', "00262640"},
                                                  {'W', "0016162323363640"},
                                                  {'Y', "002340232326"},
                                                  {'0', "00404046460606000640"},
                                                  {'1', "11202026"},
                                                  {'2', "00404043430303060646"},
                                                  {'3', "0040404646061343"},
                                                  {'4', "000303434046"},
                                                  {'5', "40000003034343464606"},
                                                  {'7', "00404016"},
                                                  {'8', "00404046460606000343"},
                                                  {'9', "43030300004040464606"},
                                                  {'-', "1333"},
                                                  {'.', "2526"}};
  return all;
}

// How far the cliff's edge and the sea reach at a column.
double cliff_top(double x) {
  const double slope =
      300 + 58 * fractal(x / 90.0, 3.5, 5, 0.55, 11) - std::max(0.0, 250 - x) * 0.62 + std::max(0.0, x - 268) * 1.15;
  // Level ground for the house and the tower.
  const double plateau = 256 + 4 * fractal(x / 30.0, 9, 4, 0.5, 13);
  const double level = blend(std::clamp((x - 50) / 40, 0.0, 1.0)) * (1 - blend(std::clamp((x - 268) / 44, 0.0, 1.0)));
  return slope * (1 - level) + plateau * level;
}

}  // namespace

double value_noise(double x, double y, std::uint64_t seed) {
  const auto i = static_cast<std::int64_t>(std::floor(x)), j = static_cast<std::int64_t>(std::floor(y));
  const double u = blend(x - static_cast<double>(i)), v = blend(y - static_cast<double>(j));
  const double top = lattice(i, j, seed) * (1 - u) + lattice(i + 1, j, seed) * u;
  const double bottom = lattice(i, j + 1, seed) * (1 - u) + lattice(i + 1, j + 1, seed) * u;
  return top * (1 - v) + bottom * v;
}

double fractal(double x, double y, int octaves, double gain, std::uint64_t seed) {
  double sum = 0, weight = 1, scale = 1;
  for (int o = 0; o < octaves; ++o) {
    sum += weight * value_noise(x * scale, y * scale, seed + static_cast<std::uint64_t>(o));
    weight *= gain;
    scale *= 2.03;
  }
  return sum;
}

void line(Canvas& c, double x0, double y0, double x1, double y1, double width, const Rgb& color, double opacity) {
  const double r = width / 2 + 1;
  cover(c, std::min(x0, x1) - r, std::min(y0, y1) - r, std::max(x0, x1) + r, std::max(y0, y1) + r, color, opacity,
        [&](double x, double y) {
          return std::min(width, 1.0) * (width / 2 + 0.5 - segment_distance(x, y, x0, y0, x1, y1));
        });
}

void disk(Canvas& c, double cx, double cy, double radius, const Rgb& color, double opacity) {
  cover(c, cx - radius - 1, cy - radius - 1, cx + radius + 1, cy + radius + 1, color, opacity,
        [&](double x, double y) { return radius + 0.5 - std::sqrt((x - cx) * (x - cx) + (y - cy) * (y - cy)); });
}

void polygon(Canvas& c, const std::vector<std::array<double, 2>>& points, const Rgb& color, double opacity) {
  double x0 = 1e9, y0 = 1e9, x1 = -1e9, y1 = -1e9;
  for (const auto& p : points) {
    x0 = std::min(x0, p[0]);
    y0 = std::min(y0, p[1]);
    x1 = std::max(x1, p[0]);
    y1 = std::max(y1, p[1]);
  }
  const auto inside = [&](double x, double y) {
    bool in = false;
    for (std::size_t i = 0, j = points.size() - 1; i < points.size(); j = i++) {
      const auto& a = points[i];
      const auto& b = points[j];
      if ((a[1] > y) != (b[1] > y) && x < (b[0] - a[0]) * (y - a[1]) / (b[1] - a[1]) + a[0]) in = !in;
    }
    return in;
  };
  cover(c, x0, y0, x1, y1, color, opacity, [&](double x, double y) {
    int hits = 0;  // 4 by 4 points a pixel
    for (int i = 0; i < 16; ++i) hits += inside(x - 0.375 + 0.25 * (i % 4), y - 0.375 + 0.25 * (i / 4));
    return hits / 16.0;
  });
}

void lettering(Canvas& c, const std::string& text, double x, double y, double height, double stroke, const Rgb& color) {
  const double unit = height / 6;
  for (const char ch : text) {
    const auto it = letters().find(ch);
    if (it != letters().end()) {
      const std::string& s = it->second;
      for (std::size_t i = 0; i + 3 < s.size(); i += 4) {
        line(c, x + unit * (s[i] - '0'), y + unit * (s[i + 1] - '0'), x + unit * (s[i + 2] - '0'),
             y + unit * (s[i + 3] - '0'), stroke, color);
      }
    }
    x += unit * 5.6;
  }
}

Canvas noon() {
  Canvas c(768, 512);
  constexpr double horizon = 286;
  const Rgb zenith{0.24, 0.43, 0.69}, haze{0.72, 0.79, 0.83}, cloud{0.93, 0.93, 0.91}, shadow{0.60, 0.64, 0.70};
  const Rgb deep{0.10, 0.27, 0.34}, near_sea{0.20, 0.42, 0.45}, foam{0.86, 0.90, 0.90};
  const sieve::RandomStream random(2026);
  for (int y = 0; y < c.height; ++y) {
    for (int x = 0; x < c.width; ++x) {
      Rgb p;
      if (y < horizon) {
        const double t = y / horizon;
        p = mix(zenith, haze, std::pow(t, 1.6));
        // Clouds: 1/f texture, denser and flatter toward the horizon, lit from above.
        const double squeeze = 1 + 2.4 * t;
        const double n = fractal(x / 170.0, y * squeeze / 120.0 + 7, 9, 0.53, 41);
        const double lit = fractal(x / 170.0, (y - 5) * squeeze / 120.0 + 7, 9, 0.53, 41);
        const double density = std::clamp((n + 0.04) * 2.3, 0.0, 1.0);
        p = mix(p, mix(shadow, cloud, std::clamp(0.75 + 2.2 * (n - lit), 0.0, 1.0)), density * 0.92);
      } else {
        const double depth = (y - horizon) / (c.height - horizon);
        p = mix(mix(haze, deep, 0.72), near_sea, std::pow(depth, 0.7));
        // Waves: long crests that grow toward the viewer, with glitter on them.
        const double scale = 4 + 70 * depth * depth;
        const double wave = fractal(x / (scale * 2.6), y / (0.4 * scale + 1.2), 6, 0.58, 71);
        p = times(p, 1 + 0.34 * wave);
        const double crest = std::clamp((wave - 0.62) * 3.2, 0.0, 1.0);
        p = mix(p, foam, crest * (0.35 + 0.5 * depth));
      }
      c.at(x, y) = p;
    }
  }
  // Far skerries, with surf around them.
  for (int i = 0; i < 7; ++i) {
    const double x = 430 + 46 * i + 14 * random.normal(static_cast<std::uint64_t>(i)),
                 w = 12 + 16 * random.uniform(static_cast<std::uint64_t>(100 + i));
    polygon(c,
            {{x - w, horizon + 3},
             {x - 0.4 * w, horizon - 4 - 0.12 * w},
             {x + 0.3 * w, horizon - 2 - 0.2 * w},
             {x + w, horizon + 3}},
            {0.33, 0.36, 0.38});
    line(c, x - w - 3, horizon + 3.4, x + w + 4, horizon + 3.2, 1.6, {0.85, 0.88, 0.88}, 0.8);
  }
  // The cliff: layered rock with grass on top, heather and stones.
  for (int y = 0; y < c.height; ++y) {
    for (int x = 0; x < c.width; ++x) {
      const double top = cliff_top(x), into = y - top;
      if (into < -1) continue;
      const double layers = std::sin((y + 9 * fractal(x / 60.0, y / 60.0, 4, 0.5, 15)) * 0.42);
      const double grain = fractal(x / 9.0, y / 5.0, 5, 0.62, 23);
      Rgb rock = mix({0.36, 0.31, 0.27}, {0.60, 0.55, 0.47}, std::clamp(0.5 + 0.22 * layers + 0.42 * grain, 0.0, 1.0));
      rock = times(rock, std::clamp(1.12 - 0.0014 * into - 0.0006 * x, 0.45, 1.15));
      const double turf = 16 + 10 * fractal(x / 22.0, 2, 4, 0.6, 31);
      if (into < turf) {
        const double blade = fractal(x / 2.1, y / 5.5, 4, 0.75, 37);
        rock = mix({0.27, 0.38, 0.15}, {0.55, 0.60, 0.28}, std::clamp(0.5 + 0.5 * blade, 0.0, 1.0));
        if (random.uniform(static_cast<std::uint64_t>(1000000 + y * 768 + x)) < 0.012) rock = {0.66, 0.32, 0.55};
      }
      over(c.at(x, y), rock, std::min(1.0, into + 1));
    }
  }
  // The tower: white with two red bands, shaded around, gallery, lantern and roof.
  const double tx = 236, base = 272, up = 74;
  for (int y = static_cast<int>(up); y < static_cast<int>(base); ++y) {
    const double t = (y - up) / (base - up), half = 19 + 13 * t;
    for (int x = static_cast<int>(tx - half) - 1; x <= static_cast<int>(tx + half) + 1; ++x) {
      const double u = (x + 0.5 - tx) / half;
      const double a = std::clamp((1 - std::abs(u)) * half + 0.5, 0.0, 1.0);
      if (a <= 0) continue;
      Rgb wall{0.91, 0.90, 0.86};
      if ((t > 0.16 && t < 0.34) || (t > 0.56 && t < 0.74)) wall = {0.69, 0.16, 0.13};
      const double light =
          0.98 - 0.42 * std::pow(std::clamp(0.5 + 0.62 * u, 0.0, 1.0), 1.8) - 0.10 * std::pow(std::abs(u), 6);
      const double stain = 1 + 0.05 * fractal(x / 5.0, y / 31.0, 4, 0.6, 53);
      const double joint = static_cast<int>(y - up) % 11 == 0 ? 0.93 : 1;
      over(c.at(x, y), times(wall, light * stain * joint), a);
    }
  }
  for (const double wy : {122.0, 174.0, 222.0}) {
    polygon(c, {{tx - 5, wy}, {tx + 3, wy}, {tx + 3, wy + 13}, {tx - 5, wy + 13}}, {0.17, 0.20, 0.24});
    line(c, tx - 1, wy, tx - 1, wy + 13, 0.8, {0.75, 0.74, 0.70});
    line(c, tx - 5, wy + 6, tx + 3, wy + 6, 0.8, {0.75, 0.74, 0.70});
  }
  polygon(c, {{tx - 26, 70}, {tx + 26, 70}, {tx + 24, 76}, {tx - 24, 76}}, {0.25, 0.27, 0.30});
  for (int i = 0; i <= 12; ++i)
    line(c, tx - 25 + i * 50.0 / 12, 58, tx - 25 + i * 50.0 / 12, 70, 0.9, {0.22, 0.24, 0.27});
  line(c, tx - 25, 58, tx + 25, 58, 1.2, {0.22, 0.24, 0.27});
  line(c, tx - 25, 64, tx + 25, 64, 0.8, {0.22, 0.24, 0.27});
  polygon(c, {{tx - 13, 40}, {tx + 13, 40}, {tx + 13, 70}, {tx - 13, 70}}, {0.62, 0.72, 0.76});
  disk(c, tx, 55, 6.5, {0.99, 0.95, 0.78});
  for (int i = -2; i <= 2; ++i) line(c, tx + i * 6.4, 40, tx + i * 6.4, 70, 1.1, {0.20, 0.22, 0.25});
  polygon(c, {{tx - 17, 40}, {tx, 22}, {tx + 17, 40}}, {0.55, 0.12, 0.11});
  line(c, tx, 22, tx, 8, 1.1, {0.25, 0.26, 0.28});
  disk(c, tx, 8, 2, {0.72, 0.66, 0.42});
  // The keeper's house, its slate roof and the station's board.
  polygon(c, {{96, 208}, {182, 208}, {182, 266}, {96, 266}}, {0.86, 0.83, 0.75});
  polygon(c, {{88, 209}, {110, 178}, {170, 178}, {190, 209}}, {0.33, 0.35, 0.40});
  for (int i = 0; i < 8; ++i)
    line(c, 109.0 - 2.7 * i, 180.0 + 4 * i, 171.0 + 2.3 * i, 180.0 + 4 * i, 0.7, {0.24, 0.25, 0.29}, 0.8);
  for (int i = 0; i < 26; ++i) line(c, 92 + 3.8 * i, 207, 112 + 2.3 * i, 180, 0.5, {0.26, 0.27, 0.31}, 0.6);
  for (const double wx : {106.0, 132.0, 158.0}) {
    polygon(c, {{wx, 218}, {wx + 14, 218}, {wx + 14, 238}, {wx, 238}}, {0.20, 0.24, 0.30});
    line(c, wx + 7, 218, wx + 7, 238, 1, {0.93, 0.92, 0.88});
    line(c, wx, 228, wx + 14, 228, 1, {0.93, 0.92, 0.88});
  }
  polygon(c, {{30, 352}, {222, 352}, {222, 412}, {30, 412}}, {0.93, 0.91, 0.84});
  polygon(c, {{33, 355}, {219, 355}, {219, 409}, {33, 409}}, {0.12, 0.22, 0.34});
  lettering(c, "BRACKHOLM LIGHT", 42, 362, 12, 1.5, {0.95, 0.94, 0.88});
  lettering(c, "FL W 10S 41M 18NM", 42, 381, 7, 0.95, {0.95, 0.94, 0.88});
  lettering(c, "CAMERA 3 - NORTH REACH", 42, 395, 5, 0.75, {0.85, 0.88, 0.90});
  line(c, 50, 412, 50, 450, 4, {0.30, 0.24, 0.18});
  line(c, 202, 412, 202, 446, 4, {0.30, 0.24, 0.18});
  // A ketch off the point: hull, masts, sails, and rigging of fine ropes with their sag.
  const double sx = 560, water = 402;
  polygon(c, {{sx - 92, water - 26}, {sx + 96, water - 32}, {sx + 76, water}, {sx - 70, water + 2}},
          {0.17, 0.15, 0.16});
  line(c, sx - 92, water - 25, sx + 96, water - 31, 2.4, {0.80, 0.72, 0.50});
  line(c, sx - 8, water - 28, sx - 4, water - 214, 3.4, {0.50, 0.37, 0.22});
  line(c, sx + 62, water - 30, sx + 64, water - 158, 2.8, {0.50, 0.37, 0.22});
  for (int i = 0; i < 60; ++i) {
    // The mainsail in strips, so that it bellies and its seams show.
    const double t = i / 60.0, t2 = (i + 1) / 60.0, y0 = water - 200 + 158 * t, y1 = water - 200 + 158 * t2;
    const double w = 4 + 62 * t, belly = 6 * std::sin(3.14159265358979 * t);
    const double shade = 0.90 - 0.16 * t + (i % 10 == 0 ? -0.08 : 0);
    polygon(c, {{sx - 1, y0}, {sx + w + belly, y0}, {sx + w + belly + 1, y1 + 0.5}, {sx - 1, y1 + 0.5}},
            {shade, shade * 0.94, shade * 0.82});
  }
  polygon(c, {{sx - 9, water - 196}, {sx - 100, water - 34}, {sx - 22, water - 44}}, {0.86, 0.82, 0.74});
  polygon(c, {{sx + 66, water - 148}, {sx + 67, water - 44}, {sx + 104, water - 48}}, {0.82, 0.78, 0.70});
  const Rgb rope{0.16, 0.15, 0.15};
  const auto stay = [&](double x0, double y0, double x1, double y1, double sag, double width) {
    for (int i = 0; i < 24; ++i) {
      const double t = i / 24.0, u = (i + 1) / 24.0;
      line(c, x0 + (x1 - x0) * t, y0 + (y1 - y0) * t + 4 * sag * t * (1 - t), x0 + (x1 - x0) * u,
           y0 + (y1 - y0) * u + 4 * sag * u * (1 - u), width, rope);
    }
  };
  stay(sx - 4, water - 214, sx - 124, water - 34, 1.5, 1.0);
  stay(sx - 4, water - 212, sx + 64, water - 156, 3, 0.8);
  stay(sx + 64, water - 158, sx + 108, water - 32, 1, 0.9);
  for (int i = 0; i < 6; ++i) stay(sx - 5, water - 180 + 4 * i, sx - 30 + 11 * i, water - 27, 0.5, 0.7);
  for (int i = 1; i < 12; ++i)
    line(c, sx - 28 + 1.9 * i, water - 27 - 12 * i, sx + 18 - 1.7 * i, water - 27 - 12 * i, 0.6, rope, 0.8);
  line(c, sx - 92, water - 26, sx - 126, water - 34, 2, {0.50, 0.37, 0.22});
  lettering(c, "SKUA", sx + 42, water - 22, 6, 0.8, {0.85, 0.78, 0.55});
  for (int i = 0; i < 16; ++i)
    line(c, sx - 80 + 10.5 * i, water + 4 + 3 * (i % 3), sx - 66 + 10.5 * i, water + 4 + 3 * (i % 3), 1.2,
         {0.16, 0.20, 0.22}, 0.55);
  // A mast with stays and signal flags beside the board; gulls; a resolution chart on the rock.
  line(c, 330, 214, 330, 470, 3, {0.85, 0.84, 0.80});
  line(c, 304, 246, 356, 246, 2, {0.85, 0.84, 0.80});
  for (const double gx : {268.0, 296.0, 366.0, 398.0}) line(c, 330, 220, gx, 476, 0.8, {0.13, 0.13, 0.14});
  constexpr Rgb flags[] = {
      {0.80, 0.16, 0.14}, {0.95, 0.80, 0.16}, {0.12, 0.24, 0.56}, {0.94, 0.94, 0.92}, {0.10, 0.10, 0.11}};
  for (int i = 0; i < 5; ++i) {
    const double x = 342 + 2.2 * i, y = 254 + 21.0 * i;
    polygon(c, {{x, y}, {x + 22, y + 2 * std::sin(i * 1.7)}, {x + 22, y + 14 + 2 * std::sin(i * 1.7)}, {x, y + 14}},
            flags[i]);
    polygon(c, {{x + 7, y + 4}, {x + 15, y + 4}, {x + 15, y + 10}, {x + 7, y + 10}}, flags[(i + 3) % 5]);
  }
  for (int i = 0; i < 9; ++i) {
    const double x = 380 + 330 * random.uniform(static_cast<std::uint64_t>(500 + i)),
                 y = 60 + 150 * random.uniform(static_cast<std::uint64_t>(600 + i));
    const double s = 3 + 6 * random.uniform(static_cast<std::uint64_t>(700 + i));
    line(c, x - s, y - 0.4 * s, x, y, 1.2, {0.20, 0.21, 0.23});
    line(c, x, y, x + s, y - 0.5 * s, 1.2, {0.20, 0.21, 0.23});
  }
  for (int i = 0; i < 44; ++i) {
    // Radial wedges: detail from coarse to finer than the pixels.
    const double a = 2 * 3.14159265358979 * i / 44, b = 2 * 3.14159265358979 * (i + 0.5) / 44;
    polygon(c,
            {{246, 462},
             {246 + 30 * std::cos(a), 462 + 30 * std::sin(a)},
             {246 + 30 * std::cos(b), 462 + 30 * std::sin(b)}},
            i % 2 ? Rgb{0.95, 0.95, 0.93} : Rgb{0.08, 0.08, 0.09});
  }
  for (Rgb& p : c.pixels)
    p = {std::clamp(p.r, 0.012, 0.988), std::clamp(p.g, 0.012, 0.988), std::clamp(p.b, 0.012, 0.988)};
  return c;
}

}  // namespace brackholm
