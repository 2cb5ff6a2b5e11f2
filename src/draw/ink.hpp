#pragma once
// Colors and text: the one look that all sheets share.

#include <array>
#include <string>

#include "draw/cairo_calls.hpp"

namespace sieve::draw {

struct Color {
  double r, g, b;
};

inline constexpr Color kPaper{0.975, 0.972, 0.962};
inline constexpr Color kPlate{1, 1, 1};
inline constexpr Color kInk{0.13, 0.16, 0.20};
inline constexpr Color kFaint{0.42, 0.45, 0.49};
inline constexpr Color kRule{0.84, 0.84, 0.82};
inline constexpr Color kBelow{0.10, 0.32, 0.66};  // under 0
inline constexpr Color kAbove{0.90, 0.49, 0.07};  // over 1
// Curves, apart in lightness as well as in hue.
inline constexpr std::array<Color, 6> kCurves = {{{0.13, 0.30, 0.49},
                                                  {0.85, 0.50, 0.10},
                                                  {0.22, 0.60, 0.58},
                                                  {0.60, 0.24, 0.42},
                                                  {0.45, 0.47, 0.50},
                                                  {0.62, 0.66, 0.16}}};
// Red, green and blue channels.
inline constexpr std::array<Color, 3> kChannels = {{{0.76, 0.24, 0.20}, {0.20, 0.55, 0.30}, {0.17, 0.36, 0.72}}};

inline void ink(cairo_t* cr, const Color& c, double alpha = 1) { cairo_set_source_rgba(cr, c.r, c.g, c.b, alpha); }

// Blue below 0, orange above, the paper's white at 0; v in -1..1.
Color diverging(double v);

struct Type {
  double size;
  bool bold = false;
  int lines = 1;  // at most; longer text is wrapped and ends in an ellipsis
  bool centered = false;
};

// Writes text into a box that starts at (x, y) and is `width` wide; returns the height taken.
double write(cairo_t* cr, const std::string& text, double x, double y, double width, const Type& type,
             const Color& color);

// The height that write() would take.
double measure(cairo_t* cr, const std::string& text, double width, const Type& type);

}  // namespace sieve::draw
