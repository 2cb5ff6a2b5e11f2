#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "draw/ink.hpp"
#include "draw/raster.hpp"
#include "sieve/draw.hpp"

namespace sieve::draw {

namespace {

class FrequencyPlane final : public SheetPanel {
 public:
  FrequencyPlane(const ConstView& v, std::vector<std::pair<double, double>> marks)
      : image_(reduced_copy(v)), marks_(std::move(marks)) {}
  double least_height(double width) const override { return std::min(width / aspect(), width); }
  double aspect() const override { return (image_.width() + 0.1 * image_.height()) / (1.1 * image_.height()); }
  void paint(void* cairo, double left, double top, double width, double height) const override {
    auto* cr = static_cast<cairo_t*>(cairo);
    constexpr double margin_x = 38, margin_y = 32;
    const double x0 = std::floor(left + margin_x);
    const double w = paint_raster(cr, image_, x0, top, width - margin_x - 4, height - margin_y,
                                  [](const ConstView& v, int x, int y) {
                                    const double s = std::clamp(static_cast<double>(v.at(x, y)), 0.0, 1.0);
                                    return Color{s, s, s};
                                  });
    const double h = std::round(w * image_.height() / image_.width()),
                 y0 = std::floor(top + std::max(0.0, (height - margin_y - h) / 2));
    cairo_set_line_width(cr, 1);
    for (int i = 0; i <= 4; ++i) {
      const double f = -0.5 + 0.25 * i, x = x0 + w * i / 4, y = y0 + h * i / 4;
      ink(cr, kFaint);
      cairo_move_to(cr, x, y0 + h), cairo_line_to(cr, x, y0 + h + 4);
      cairo_move_to(cr, x0 - 4, y), cairo_line_to(cr, x0, y);
      cairo_stroke(cr);
      write(cr, fmt::format("{:g}", f), x - 22, y0 + h + 5, 44, {10, false, 1, true}, kFaint);
      write(cr, fmt::format("{:g}", f), left, std::max(y0, y - 7), margin_x - 6, {10}, kFaint);
    }
    write(cr, "cycles per pixel", x0, y0 + h + 17, w, {10, false, 1, true}, kFaint);
    for (const auto& [fx, fy] : marks_) {
      for (const double sign : {1.0, -1.0}) {
        ink(cr, kAbove);
        cairo_new_path(cr);
        cairo_set_line_width(cr, 1.6);
        cairo_arc(cr, x0 + w * (0.5 + sign * fx), y0 + h * (0.5 + sign * fy), 7, 0, 2 * std::numbers::pi);
        cairo_stroke(cr);
      }
    }
  }

 private:
  Image image_;
  std::vector<std::pair<double, double>> marks_;
};

}  // namespace

SheetPanelPtr frequency_plane(const ConstView& image, std::vector<std::pair<double, double>> marks) {
  return std::make_shared<FrequencyPlane>(image, std::move(marks));
}

}  // namespace sieve::draw
