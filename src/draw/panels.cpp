#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <mutex>

#include "draw/ink.hpp"
#include "draw/plot.hpp"
#include "draw/raster.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/draw.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve::draw {

namespace {

Color shade(const ConstView& v, int x, int y) {
  if (v.shape.color_channels() == 3) return {v.at(x, y, 0), v.at(x, y, 1), v.at(x, y, 2)};
  const double s = v.at(x, y);
  if (s >= 0 && s <= 1) return {s, s, s};
  // Out of range: from black toward blue, from white toward orange.
  if (s < 0) {
    const double t = std::min(1.0, -2 * s);
    return {t * kBelow.r, t * kBelow.g, t * kBelow.b};
  }
  const double t = std::min(1.0, 2 * (s - 1));
  if (s > 1) return {1 + t * (kAbove.r - 1), 1 + t * (kAbove.g - 1), 1 + t * (kAbove.b - 1)};
  return {0.8, 0.2, 0.6};  // not a number
}

class PicturePanel final : public SheetPanel {
 public:
  explicit PicturePanel(const ConstView& v) : image_(reduced_copy(v)) {}
  double aspect() const override { return static_cast<double>(image_.width()) / image_.height(); }
  double least_height(double width) const override { return std::min(width / aspect(), width); }
  void paint(void* cairo, double left, double top, double width, double height) const override {
    paint_raster(static_cast<cairo_t*>(cairo), image_, left, top, width, height, shade);
  }

 private:
  Image image_;
};

class PlotPanel final : public SheetPanel {
 public:
  // `aside` stands in small type above the plot, at the right.
  PlotPanel(Axis x, Axis y, std::vector<Line> lines, std::vector<Legend> legend, std::string aside = {})
      : x_(std::move(x)),
        y_(std::move(y)),
        lines_(std::move(lines)),
        legend_(std::move(legend)),
        aside_(std::move(aside)) {}
  double least_height(double) const override {
    return 120 + 20 * static_cast<double>(std::max<std::size_t>(legend_.size(), 1) - 1);
  }
  void paint(void* cairo, double left, double top, double width, double height) const override {
    auto* cr = static_cast<cairo_t*>(cairo);
    plot(cr, left, top, width, height, x_, y_, lines_, legend_);
    // Beside the label of the y axis.
    if (!aside_.empty()) write(cr, aside_, left + 112, top + 2, width - 114, {10}, kInk);
  }

 private:
  Axis x_, y_;
  std::vector<Line> lines_;
  std::vector<Legend> legend_;
  std::string aside_;
};

class HeatPanel final : public SheetPanel {
 public:
  HeatPanel(int columns, int rows, std::vector<double> values)
      : columns_(columns), rows_(rows), values_(std::move(values)) {
    for (const double v : values_) most_ = std::max(most_, std::abs(v));
    if (most_ == 0) most_ = 1;
  }
  double aspect() const override { return (columns_ + 0.0) / rows_ + 0.25; }
  void paint(void* cairo, double left, double top, double width, double height) const override {
    auto* cr = static_cast<cairo_t*>(cairo);
    const double bar = 64, side = std::min((width - bar) / columns_, height / rows_);
    const double x0 = left, y0 = top + (height - side * rows_) / 2;
    for (int y = 0; y < rows_; ++y) {
      for (int x = 0; x < columns_; ++x) {
        const double v =
            values_[static_cast<std::size_t>(y) * static_cast<std::size_t>(columns_) + static_cast<std::size_t>(x)];
        ink(cr, diverging(v / most_));
        cairo_rectangle(cr, x0 + x * side, y0 + y * side, side + 0.3, side + 0.3);
        cairo_fill(cr);
        if (side >= 34) {
          const bool dark = std::abs(v) > 0.6 * most_;
          write(cr, side >= 56 ? fmt::format("{:.3g}", v) : fmt::format("{:.2g}", v), x0 + x * side,
                y0 + (y + 0.5) * side - 8, side, {side >= 56 ? 13.0 : 10.0, false, 1, true}, dark ? kPlate : kInk);
        }
      }
    }
    ink(cr, kFaint);
    cairo_set_line_width(cr, 1);
    cairo_rectangle(cr, x0 - 0.5, y0 - 0.5, side * columns_ + 1, side * rows_ + 1);
    cairo_stroke(cr);
    paint_bar(cr, x0 + side * columns_ + 14, y0, side * rows_, most_);
  }

 private:
  int columns_, rows_;
  std::vector<double> values_;
  double most_ = 0;
};

class TextPanel final : public SheetPanel {
 public:
  explicit TextPanel(std::vector<std::string> lines) : lines_(std::move(lines)) {}
  double least_height(double width) const override {
    // By the mean width of a letter: what is wrapped takes more lines.
    double all = 0;
    for (const std::string& l : lines_)
      all += 4 + 17 * std::clamp(std::ceil(6.6 * static_cast<double>(l.size()) / width), 1.0, 3.0);
    return all;
  }
  void paint(void* cairo, double left, double top, double width, double) const override {
    for (const std::string& l : lines_)
      top += write(static_cast<cairo_t*>(cairo), l, left, top, width, {12, false, 3}, kInk) + 4;
  }

 private:
  std::vector<std::string> lines_;
};

// A range that holds 0..1 and what lies outside, rounded outward to tenths.
struct Span {
  double low = 0, high = 1;
};
Span span_of(const ConstView& v) {
  Span s;
  for (int c = 0; const ChannelStatistics& f : statistics(v)) {
    if (c++ >= v.shape.color_channels()) break;
    if (f.minimum < 0) s.low = std::min(s.low, std::floor(10 * f.minimum) / 10);
    if (f.maximum > 1) s.high = std::max(s.high, std::ceil(10 * f.maximum) / 10);
  }
  return s;
}

// The points of a curve in the units of its axes, without those that have no place there.
void to_axes(PlotCurve& c, LogAxes logarithmic) {
  if (!logarithmic.x && !logarithmic.y) return;
  PlotCurve kept{std::move(c.name), {}, {}};
  for (std::size_t i = 0; i < c.x.size(); ++i) {
    if ((logarithmic.x && !(c.x[i] > 0)) || (logarithmic.y && !(c.y[i] > 0))) continue;
    if (static_cast<int>(i) == c.marked) kept.marked = static_cast<int>(kept.x.size());
    kept.x.push_back(logarithmic.x ? std::log10(c.x[i]) : c.x[i]);
    kept.y.push_back(logarithmic.y ? std::log10(c.y[i]) : c.y[i]);
  }
  c = std::move(kept);
}

// The height to draw a histogram in: one or two spikes (a flat sky, clipped ends) must not flatten all the rest.
double shown_height(const Histogram& h) {
  std::vector<std::size_t> sorted = h.counts;
  std::sort(sorted.rbegin(), sorted.rend());
  if (sorted.size() < 4 || sorted[2] == 0) return static_cast<double>(sorted[0]);
  return std::min(static_cast<double>(sorted[0]), 2.5 * static_cast<double>(sorted[2]));
}

}  // namespace

SheetPanelPtr picture(const ConstView& image) { return std::make_shared<PicturePanel>(image); }

SheetPanelPtr histogram(const ConstView& image, bool marks) {
  const Span span = span_of(image);
  const int color = image.shape.color_channels();
  const bool levels = image.white_level > 0 && span.low == 0 && span.high == 1;
  // Up to 256 bars are told apart at this size; deeper sources are drawn in 256 bins.
  const int bins = levels && image.white_level < 256 ? 0 : 256;
  const double to_axis = levels ? (bins == 0 ? image.white_level + 1.0 : image.white_level) : 1;
  std::vector<Line> lines;
  double highest = 0;
  for (int c = 0; c < color; ++c) {
    const Histogram h = sieve::histogram(image, {.channel = c, .bins = bins, .low = span.low, .high = span.high});
    lines.push_back(staircase(h, to_axis, color == 1 ? kCurves[0] : kChannels[static_cast<std::size_t>(c)],
                              color == 1 ? 0.45 : 0.18));
    highest = std::max(highest, shown_height(h));
  }
  Axis x{span.low, span.high, levels ? "level" : "sample, 0..1 scale"};
  if (levels) x = {0, image.white_level + 1.0, "level"};
  const Axis y{0, std::max(1.0, highest * 1.06), "samples"};
  const Histogram luma =
      sieve::histogram(image, {.channel = luma_channel, .bins = bins, .low = span.low, .high = span.high});
  const auto place = [&](std::size_t bin) {
    return levels ? (static_cast<double>(bin) + 0.5) / static_cast<double>(luma.counts.size()) * to_axis
                  : luma.center(bin);
  };
  Line cumulative{{}, {}, kInk, 0, 1.0};
  for (std::size_t b = 0; const double share : luma.cumulative()) {
    cumulative.x.push_back(place(b++));
    cumulative.y.push_back(share * highest);
  }
  std::vector<Legend> legend;
  Line peaks{{}, {}, kAbove, 0, 1, true, false}, valleys{{}, {}, kBelow, 0, 1, true, false};
  if (marks) {
    std::vector<std::size_t> tops;
    for (const HistogramPeak& p : histogram_peaks(luma)) {
      tops.push_back(std::min(static_cast<std::size_t>((p.level - luma.low) / (luma.high - luma.low) *
                                                       static_cast<double>(luma.counts.size())),
                              luma.counts.size() - 1));
    }
    const auto mark = [&](Line& line, std::size_t bin) {
      line.x.push_back(place(bin));
      line.y.push_back(static_cast<double>(luma.counts[bin]));
    };
    for (const std::size_t bin : tops) mark(peaks, bin);
    for (const std::size_t bin : valleys_between(luma, tops)) mark(valleys, bin);
    legend.push_back({"cumulative, luma", kInk});
    if (!peaks.x.empty()) legend.push_back({"peak, luma", kAbove});
    if (!valleys.x.empty()) legend.push_back({"valley, luma", kBelow});
  }
  std::size_t floor = 0, ceiling = 0;
  for (int c = 0; const ChannelStatistics& s : statistics(image)) {
    if (c++ >= color) break;
    const auto n = static_cast<double>(image.shape.pixels() - s.not_finite);
    floor += static_cast<std::size_t>(s.at_floor * n);
    ceiling += static_cast<std::size_t>(s.at_ceiling * n);
  }
  const double all = static_cast<double>(image.shape.pixels()) * color;
  std::string aside;
  // Where samples lie outside 0..1, its ends are no ends.
  if (span.low == 0 && static_cast<double>(floor) >= 0.001 * all)
    aside = fmt::format("floor {:.1f} %", 100 * static_cast<double>(floor) / all);
  if (span.high == 1 && static_cast<double>(ceiling) >= 0.001 * all)
    aside += fmt::format("{}ceiling {:.1f} %", aside.empty() ? "" : ", ", 100 * static_cast<double>(ceiling) / all);
  lines.push_back(std::move(cumulative));
  lines.push_back(std::move(peaks));
  lines.push_back(std::move(valleys));
  for (Line& l : lines) {
    for (double& v : l.y) v = std::min(v, highest * 1.06);
  }
  return std::make_shared<PlotPanel>(x, y, std::move(lines), std::move(legend), std::move(aside));
}

SheetPanelPtr curves(std::vector<PlotCurve> all, std::string x_label, std::string y_label, LogAxes logarithmic) {
  std::vector<Line> lines;
  std::vector<Legend> legend;
  Axis x{1e300, -1e300, std::move(x_label), logarithmic.x}, y{1e300, -1e300, std::move(y_label), logarithmic.y};
  for (std::size_t i = 0; i < all.size(); ++i) {
    const Color& color = kCurves[i % kCurves.size()];
    to_axes(all[i], logarithmic);
    for (const double v : all[i].x) x.low = std::min(x.low, v), x.high = std::max(x.high, v);
    for (const double v : all[i].y) y.low = std::min(y.low, v), y.high = std::max(y.high, v);
    if (!all[i].name.empty() && all.size() > 1) legend.push_back({all[i].name, color});
    const bool few = all[i].x.size() <= 64;
    lines.push_back({std::move(all[i].x), std::move(all[i].y), color, 0, few ? 2 : 1.2, few, true, all[i].marked});
  }
  if (x.high < x.low) x.low = x.high = y.low = y.high = 0;
  if (x.high == x.low) x.high = x.low + 1;
  if (!lines.empty() && lines[0].points) {
    const double room = 0.02 * (x.high - x.low);
    x.low -= room;
    x.high += room;
  }
  // A curve that is level stands in the middle of an axis from 0.
  if (y.high == y.low) {
    const double level = y.low;
    y.low = logarithmic.y ? level - 1 : std::min(0.0, 2 * level);
    y.high = logarithmic.y ? level + 1 : level == 0 ? 1 : std::max(0.0, 2 * level);
  }
  // An axis from 0 where the curves come near it; some room above and below in any case.
  if (!logarithmic.y && y.low > 0 && y.low < 0.4 * y.high) y.low = 0;
  if (y.low != 0) y.low -= 0.06 * (y.high - y.low);
  y.high += 0.06 * (y.high - y.low);
  return std::make_shared<PlotPanel>(x, y, std::move(lines), std::move(legend));
}

SheetPanelPtr histograms(const std::vector<NamedImage>& pictures) {
  Span span;
  for (const NamedImage& p : pictures) {
    const Span s = span_of(p.image);
    span = {std::min(span.low, s.low), std::max(span.high, s.high)};
  }
  std::vector<Line> lines;
  std::vector<Legend> legend;
  double highest = 1;
  for (std::size_t i = 0; i < pictures.size(); ++i) {
    const Image gray = to_gray(pictures[i].image);
    const Color& color = kCurves[i % kCurves.size()];
    const Histogram h = sieve::histogram(gray, {.channel = 0, .bins = 128, .low = span.low, .high = span.high});
    lines.push_back(staircase(h, 1, color, 0.12));
    highest = std::max(highest, shown_height(h));
    if (pictures.size() > 1) legend.push_back({pictures[i].name, color});
  }
  for (Line& l : lines) {
    for (double& v : l.y) v = std::min(v, 1.06 * highest);
  }
  return std::make_shared<PlotPanel>(Axis{span.low, span.high, "luma, 0..1 scale"}, Axis{0, 1.06 * highest, "pixels"},
                                     std::move(lines), std::move(legend));
}

SheetPanelPtr cumulatives(const std::vector<NamedImage>& pictures) {
  Span span;
  for (const NamedImage& p : pictures) {
    const Span s = span_of(p.image);
    span = {std::min(span.low, s.low), std::max(span.high, s.high)};
  }
  std::vector<PlotCurve> all;
  for (const NamedImage& p : pictures) {
    const Histogram h =
        sieve::histogram(p.image, {.channel = luma_channel, .bins = 256, .low = span.low, .high = span.high});
    PlotCurve c{p.name, {span.low}, {0}};
    for (std::size_t b = 0; const double share : h.cumulative()) {
      c.x.push_back(span.low + static_cast<double>(++b) / 256 * (span.high - span.low));
      c.y.push_back(share);
    }
    all.push_back(std::move(c));
  }
  return curves(std::move(all), "luma, 0..1 scale", "share of the pixels at or below");
}

SheetPanelPtr heat(int columns, int rows, std::vector<double> values) {
  return std::make_shared<HeatPanel>(columns, rows, std::move(values));
}

SheetPanelPtr text(std::vector<std::string> lines) { return std::make_shared<TextPanel>(std::move(lines)); }

SheetCell picture_cell(std::string caption, const ConstView& image) {
  double low = 0, high = 0;
  std::size_t below = 0, above = 0, odd = 0;
  for (int c = 0; const ChannelStatistics& s : statistics(image)) {
    if (c >= image.shape.color_channels()) break;
    low = c == 0 ? s.minimum : std::min(low, s.minimum);
    high = c == 0 ? s.maximum : std::max(high, s.maximum);
    below += s.below;
    above += s.above;
    odd += s.not_finite;
    ++c;
  }
  std::string note = fmt::format("{}x{}  range {:.3g} .. {:.3g}", image.width(), image.height(), low, high);
  const double n = static_cast<double>(image.shape.pixels()) * image.shape.color_channels();
  const char* blue = image.shape.color_channels() == 1 ? " (blue)" : "";
  const char* orange = image.shape.color_channels() == 1 ? " (orange)" : "";
  if (below > 0) note += fmt::format("  below 0{}: {:.2g} %", blue, 100 * static_cast<double>(below) / n);
  if (above > 0) note += fmt::format("  above 1{}: {:.2g} %", orange, 100 * static_cast<double>(above) / n);
  if (odd > 0) note += fmt::format("  not a number: {}", odd);
  return {std::move(caption), picture(image), std::move(note), draw::histogram(image, false)};
}

}  // namespace sieve::draw
