#pragma once
// Axes and curves through PLplot, on a Cairo surface of their own.

#include <string>
#include <vector>

#include "draw/ink.hpp"
#include "sieve/tone/histogram.hpp"

namespace sieve::draw {

struct Axis {
  double low = 0;
  double high = 1;
  std::string label;
  bool logarithmic = false;  // low, high and the points are logarithms to base 10, the labels are the values
};

struct Line {
  std::vector<double> x;
  std::vector<double> y;
  Color color;
  double fill = 0;  // opacity of the area down to the x axis, 0 for none
  double width = 1.6;
  bool points = false;
  bool joined = true;  // false: points alone
  int marked = -1;     // a point with a ring around it
};

struct Legend {
  std::string name;
  Color color;
};

// Paints axes with tick labels, then the lines.
void plot(cairo_t* cr, double left, double top, double width, double height, const Axis& x, const Axis& y,
          const std::vector<Line>& lines, const std::vector<Legend>& legend = {});

// Steps as a histogram draws them: each bin flat from its left to its right end, places times `to_axis`.
Line staircase(const Histogram& h, double to_axis, const Color& color, double fill);

}  // namespace sieve::draw
