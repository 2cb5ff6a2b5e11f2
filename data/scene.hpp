#pragma once
// A small renderer for the made-up station: plain double arithmetic and the library's random stream, so that the
// same bytes come out on every machine. It uses no filter of the library.

#include <array>
#include <cstdint>
#include <string>
#include <vector>

namespace brackholm {

struct Rgb {
  double r = 0, g = 0, b = 0;
};

inline Rgb mix(const Rgb& a, const Rgb& b, double t) {
  return {a.r + (b.r - a.r) * t, a.g + (b.g - a.g) * t, a.b + (b.b - a.b) * t};
}
inline Rgb times(const Rgb& a, double k) { return {a.r * k, a.g * k, a.b * k}; }

// A picture of doubles, 0..1.
struct Canvas {
  int width, height;
  std::vector<Rgb> pixels;
  Canvas(int w, int h) : width(w), height(h), pixels(static_cast<std::size_t>(w) * static_cast<std::size_t>(h)) {}
  Rgb& at(int x, int y) {
    return pixels[static_cast<std::size_t>(y) * static_cast<std::size_t>(width) + static_cast<std::size_t>(x)];
  }
  const Rgb& at(int x, int y) const { return const_cast<Canvas*>(this)->at(x, y); }
};

// Smooth noise of one scale: random values on a grid, joined by a fifth-degree blend. -1..1.
double value_noise(double x, double y, std::uint64_t seed);
// Octaves of it, each half the size and `gain` of the weight: a gain of 0.5 gives the 1/f amplitude of clouds.
double fractal(double x, double y, int octaves, double gain, std::uint64_t seed);

// Antialiased shapes, blended over what is there with an opacity of 0..1.
void line(Canvas& c, double x0, double y0, double x1, double y1, double width, const Rgb& color, double opacity = 1);
void disk(Canvas& c, double cx, double cy, double radius, const Rgb& color, double opacity = 1);
void polygon(Canvas& c, const std::vector<std::array<double, 2>>& points, const Rgb& color, double opacity = 1);
// Capital letters, digits and a few signs in strokes, `height` pixels high.
void lettering(Canvas& c, const std::string& text, double x, double y, double height, double stroke, const Rgb& color);

// The clean noon view of the station, 768x512.
Canvas noon();

}  // namespace brackholm
