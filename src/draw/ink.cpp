#include "draw/ink.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>

namespace sieve::draw {

namespace {

struct Unref {
  void operator()(PangoLayout* p) const { g_object_unref(p); }
};

std::unique_ptr<PangoLayout, Unref> layout_of(cairo_t* cr, const std::string& text, double width, const Type& type) {
  std::unique_ptr<PangoLayout, Unref> layout(pango_cairo_create_layout(cr));
  PangoFontDescription* font = pango_font_description_from_string("DejaVu Sans");
  pango_font_description_set_absolute_size(font, type.size * PANGO_SCALE);
  if (type.bold) pango_font_description_set_weight(font, PANGO_WEIGHT_BOLD);
  pango_layout_set_font_description(layout.get(), font);
  pango_font_description_free(font);
  pango_layout_set_text(layout.get(), text.c_str(), -1);
  pango_layout_set_width(layout.get(), static_cast<int>(width * PANGO_SCALE));
  pango_layout_set_height(layout.get(), -type.lines);
  pango_layout_set_wrap(layout.get(), PANGO_WRAP_WORD_CHAR);
  pango_layout_set_ellipsize(layout.get(), PANGO_ELLIPSIZE_END);
  if (type.centered) pango_layout_set_alignment(layout.get(), PANGO_ALIGN_CENTER);
  return layout;
}

double height_of(PangoLayout* layout) {
  int w = 0, h = 0;
  pango_layout_get_pixel_size(layout, &w, &h);
  return h;
}

}  // namespace

Color diverging(double v) {
  v = std::clamp(v, -1.0, 1.0);
  const Color& end = v < 0 ? kBelow : kAbove;
  const double t = std::abs(v);
  return {0.97 + t * (end.r - 0.97), 0.97 + t * (end.g - 0.97), 0.96 + t * (end.b - 0.96)};
}

double write(cairo_t* cr, const std::string& text, double x, double y, double width, const Type& type,
             const Color& color) {
  if (text.empty()) return 0;
  const auto layout = layout_of(cr, text, width, type);
  ink(cr, color);
  cairo_move_to(cr, x, y);
  pango_cairo_show_layout(cr, layout.get());
  return height_of(layout.get());
}

double measure(cairo_t* cr, const std::string& text, double width, const Type& type) {
  return text.empty() ? 0 : height_of(layout_of(cr, text, width, type).get());
}

}  // namespace sieve::draw
