#include "draw/plot.hpp"

#include <fmt/format.h>
#include <plplot/plplot.h>

#include <algorithm>
#include <cmath>
#include <mutex>

namespace sieve::draw {

// PLplot, called late; its header gives these names a prefix, which the first macro lets it.
#define SIEVE_LATE(name) SIEVE_LATE_AS(name)
#define SIEVE_LATE_AS(name) inline const LateCall<decltype(::name)> name(DrawingLibrary::plplot, #name);
SIEVE_LATE(pladv)
SIEVE_LATE(plbox)
SIEVE_LATE(plcol0)
SIEVE_LATE(plend1)
SIEVE_LATE(plfill)
SIEVE_LATE(plinit)
SIEVE_LATE(pljoin)
SIEVE_LATE(plline)
SIEVE_LATE(plpoin)
SIEVE_LATE(plschr)
SIEVE_LATE(plscol0a)
SIEVE_LATE(plscolbga)
SIEVE_LATE(plsdev)
SIEVE_LATE(plsfont)
SIEVE_LATE(plsmaj)
SIEVE_LATE(plsmin)
SIEVE_LATE(plspage)
SIEVE_LATE(plssym)
SIEVE_LATE(plsxax)
SIEVE_LATE(plsyax)
SIEVE_LATE(plvpor)
SIEVE_LATE(plwidth)
SIEVE_LATE(plwind)
SIEVE_LATE(pl_cmd)
#undef SIEVE_LATE_AS
#undef SIEVE_LATE

namespace {

// PLplot holds one global state.
std::mutex plplot_mutex;

PLINT byte(double v) { return static_cast<PLINT>(std::lround(255 * v)); }

void set_color(PLINT index, const Color& c, double alpha = 1) {
  plscol0a(index, byte(c.r), byte(c.g), byte(c.b), alpha);
}

std::vector<PLFLT> scaled(const std::vector<double>& v, double factor) {
  std::vector<PLFLT> out;
  for (const double x : v) out.push_back(x * factor);
  return out;
}

// Large counts are labeled in thousands or millions: five digits leave no room for the plot.
struct Unit {
  double factor = 1;
  const char* name = "";
};
Unit unit_of(double high) {
  if (high >= 2e6) return {1e-6, " (millions)"};
  if (high >= 1e4) return {1e-3, " (thousands)"};
  return {};
}

// A round step that leaves about 26 pixels between the labels of the y axis.
double tick(double span, double height) {
  const double rough = span / std::clamp(height / 34, 2.0, 9.0), power = std::pow(10, std::floor(std::log10(rough)));
  for (const double step : {1.0, 2.0, 5.0}) {
    if (rough <= step * power) return step * power;
  }
  return 10 * power;
}

// Values to label a logarithmic axis with: 1, 2 and 5 of every decade, or powers of ten alone where there are many.
std::vector<double> log_ticks(const Axis& axis) {
  std::vector<double> all;
  const double span = axis.high - axis.low;
  const double every = std::max(1.0, std::ceil(span / 6));
  for (double decade = std::floor(axis.low); decade <= axis.high; ++decade) {
    for (const double m : {1.0, 2.0, 5.0}) {
      if (m > 1 && span > 2.2) continue;
      if (span > 2.2 && std::fmod(std::fabs(decade), every) != 0) continue;
      const double at = decade + std::log10(m);
      if (at >= axis.low - 1e-9 && at <= axis.high + 1e-9) all.push_back(at);
    }
  }
  return all;
}

}  // namespace

void plot(cairo_t* cr, double left, double top, double width, double height, const Axis& x, const Axis& y,
          const std::vector<Line>& lines, const std::vector<Legend>& legend) {
  const std::lock_guard lock(plplot_mutex);
  // Twice the size and then reduced: PLplot places text on whole pixels.
  constexpr int kFine = 2;
  const int w = std::max(60, static_cast<int>(width)) * kFine, h = std::max(40, static_cast<int>(height)) * kFine;
  cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_ARGB32, w, h);
  cairo_t* own = cairo_create(surface);
  plsdev("extcairo");
  plspage(72.0 * kFine, 72.0 * kFine, w, h, 0, 0);
  plscolbga(255, 255, 255, 0);
  plinit();
  pl_cmd(PLESC_DEVINIT, own);
  plsfont(PL_FCI_SANS, PL_FCI_UPRIGHT, PL_FCI_MEDIUM);
  set_color(1, kFaint);
  set_color(2, kRule);
  pladv(0);
  const Unit unit = y.logarithmic ? Unit() : unit_of(y.high);
  // Margins in pixels of the page.
  const double bottom = (x.label.empty() ? 20.0 : 34.0) * kFine, leftward = 44.0 * kFine;
  plvpor(leftward / w, 1 - 10.0 * kFine / w, bottom / h, 1 - (y.label.empty() ? 8.0 : 20.0) * kFine / h);
  plwind(x.low, x.high, y.low * unit.factor, y.high * unit.factor);
  for (const Line& line : lines) {
    auto xs = scaled(line.x, 1), ys = scaled(line.y, unit.factor);
    if (xs.empty()) continue;
    const auto n = static_cast<PLINT>(xs.size());
    if (line.fill > 0) {
      auto fx = xs, fy = ys;
      fx.push_back(xs.back());
      fy.push_back(std::max(0.0, y.low));
      fx.push_back(xs.front());
      fy.push_back(std::max(0.0, y.low));
      set_color(3, line.color, line.fill);
      plcol0(3);
      plfill(n + 2, fx.data(), fy.data());
    }
    set_color(4, line.color);
    plcol0(4);
    plwidth(line.width * kFine * 0.6);
    if (n > 1 && line.joined) plline(n, xs.data(), ys.data());
    if (line.points || n == 1) {
      plschr(0, line.joined ? 0.35 : 0.6);
      plpoin(n, xs.data(), ys.data(), 17);
    }
    if (line.marked >= 0 && line.marked < n) {
      plwidth(1.6 * kFine);
      plssym(0, 3);
      set_color(5, kAbove);
      plcol0(5);
      plpoin(1, &xs[static_cast<std::size_t>(line.marked)], &ys[static_cast<std::size_t>(line.marked)], 4);
    }
  }
  plwidth(0.7 * kFine);
  plcol0(1);
  plschr(5.2, 1);
  plsxax(5, 0);
  plsyax(5, 0);
  plsmaj(0, 0.5);
  plsmin(0, 0.5);
  plbox(x.logarithmic ? "bc" : "bcnst", 0, 0, y.logarithmic ? "bc" : "bcnstv",
        y.logarithmic ? 0 : tick((y.high - y.low) * unit.factor, height), 0);
  const std::vector<double> across = x.logarithmic ? log_ticks(x) : std::vector<double>(),
                            up = y.logarithmic ? log_ticks(y) : std::vector<double>();
  for (const double v : across) pljoin(v, y.low * unit.factor, v, (y.low + 0.03 * (y.high - y.low)) * unit.factor);
  for (const double v : up) pljoin(x.low, v, x.low + 0.02 * (x.high - x.low), v);
  plend1();
  cairo_destroy(own);
  cairo_save(cr);
  cairo_translate(cr, left, top);
  cairo_scale(cr, 1.0 / kFine, 1.0 / kFine);
  cairo_set_source_surface(cr, surface, 0, 0);
  cairo_pattern_set_filter(cairo_get_source(cr), CAIRO_FILTER_GOOD);
  cairo_paint(cr);
  cairo_restore(cr);
  cairo_surface_destroy(surface);
  // The axes lie within PLplot's margins as set above.
  const double axes_left = left + leftward / kFine, axes_right = left + width - 10,
               axes_top = top + (y.label.empty() ? 8 : 20), axes_bottom = top + height - bottom / kFine;
  for (const double v : across) {
    const double at = axes_left + (v - x.low) / (x.high - x.low) * (axes_right - axes_left);
    write(cr, fmt::format("{:.3g}", std::pow(10, v)), at - 24, axes_bottom + 3, 48, {10, false, 1, true}, kFaint);
  }
  for (const double v : up) {
    const double at = axes_bottom - (v - y.low) / (y.high - y.low) * (axes_bottom - axes_top);
    write(cr, fmt::format("{:.3g}", std::pow(10, v)), left, at - 7, leftward / kFine - 5, {10, false, 1, true}, kFaint);
  }
  if (!y.label.empty()) write(cr, y.label + unit.name, left + 4, top + 2, width - 8, {10}, kFaint);
  if (!x.label.empty()) write(cr, x.label, left, top + height - 15, width, {10, false, 1, true}, kFaint);
  if (legend.empty()) return;
  // The corner in which the fewest points of the curves lie, within the axes.
  std::size_t longest = 0;
  for (const Legend& l : legend) longest = std::max(longest, l.name.size());
  const double wide = std::min(146.0, 36 + 7.2 * static_cast<double>(longest)),
               high = 17.0 * static_cast<double>(legend.size()) + 6;
  double best_x = 0, best_y = 0;
  int fewest = -1;
  for (const double cy : {axes_top + 3, axes_bottom - high - 3}) {
    for (const double cx : {axes_right - wide - 3, axes_left + 3}) {
      int inside = 0;
      for (const Line& line : lines) {
        for (std::size_t i = 0; i + 1 < line.x.size(); ++i) {
          for (int k = 0; k <= 32; ++k) {
            const double t = k / 32.0, u = line.x[i] + t * (line.x[i + 1] - line.x[i]),
                         v = line.y[i] + t * (line.y[i + 1] - line.y[i]);
            const double px = axes_left + (u - x.low) / (x.high - x.low) * (axes_right - axes_left);
            const double py = axes_bottom - (v - y.low) / (y.high - y.low) * (axes_bottom - axes_top);
            inside += px > cx && px < cx + wide && py > cy && py < cy + high;
          }
        }
      }
      if (fewest < 0 || inside < fewest) {
        fewest = inside;
        best_x = cx;
        best_y = cy;
      }
    }
  }
  // On the paper's color, so that what lies behind does not disturb.
  ink(cr, kPaper, 0.85);
  cairo_rectangle(cr, best_x, best_y, wide, high);
  cairo_fill(cr);
  double at = best_y + 2;
  for (const Legend& l : legend) {
    ink(cr, l.color);
    cairo_rectangle(cr, best_x + 6, at + 5, 16, 3);
    cairo_fill(cr);
    at += write(cr, l.name, best_x + 28, at, wide - 32, {11}, kInk) + 3;
  }
}

Line staircase(const Histogram& h, double to_axis, const Color& color, double fill) {
  Line line{{}, {}, color, fill, 1.1};
  const double width = (h.high - h.low) / static_cast<double>(h.counts.size());
  for (std::size_t i = 0; i < h.counts.size(); ++i) {
    for (const double end : {0.0, 1.0}) {
      line.x.push_back((h.low + (static_cast<double>(i) + end) * width) * to_axis);
      line.y.push_back(static_cast<double>(h.counts[i]));
    }
  }
  return line;
}

}  // namespace sieve::draw
