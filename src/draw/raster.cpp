#include "draw/raster.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstdint>

#include "sieve/spatial/frame.hpp"

namespace sieve::draw {

namespace {

constexpr int kMostSide = 1600;

std::uint32_t pixel(const Color& c) {
  const auto level = [](double v) { return static_cast<std::uint32_t>(std::lround(255 * std::clamp(v, 0.0, 1.0))); };
  return 0xff000000U | level(c.r) << 16 | level(c.g) << 8 | level(c.b);
}

Image fitted(const ConstView& v, double factor) {
  return shrink_to(v, std::max(1, static_cast<int>(v.width() * factor)),
                   std::max(1, static_cast<int>(v.height() * factor)));
}

}  // namespace

Image reduced_copy(const ConstView& v) {
  const int longest = std::max(v.width(), v.height());
  return longest <= kMostSide ? Image(v) : fitted(v, static_cast<double>(kMostSide) / longest);
}

double paint_raster(cairo_t* cr, const Image& image, double left, double top, double width, double height,
                    const std::function<Color(const ConstView&, int, int)>& color) {
  const double fit = std::min(width / image.width(), height / image.height());
  const Image reduced = fit < 1 ? fitted(image, fit) : image;
  const int step = std::max(1, static_cast<int>(fit));
  const int w = reduced.width() * step, h = reduced.height() * step;
  cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_RGB24, w, h);
  unsigned char* data = cairo_image_surface_get_data(surface);
  const int stride = cairo_image_surface_get_stride(surface);
  for (int y = 0; y < h; ++y) {
    auto* row = reinterpret_cast<std::uint32_t*>(data + static_cast<std::ptrdiff_t>(y) * stride);
    for (int x = 0; x < w; ++x) row[x] = pixel(color(reduced, x / step, y / step));
  }
  cairo_surface_mark_dirty(surface);
  const double x0 = std::floor(left), y0 = std::floor(top + std::max(0.0, (height - h) / 2));
  cairo_set_source_surface(cr, surface, x0, y0);
  cairo_paint(cr);
  cairo_surface_destroy(surface);
  ink(cr, kRule);
  cairo_set_line_width(cr, 1);
  cairo_rectangle(cr, x0 - 0.5, y0 - 0.5, w + 1, h + 1);
  cairo_stroke(cr);
  return w;
}

void paint_bar(cairo_t* cr, double left, double top, double high, double most) {
  for (int i = 0; i < static_cast<int>(high); ++i) {
    ink(cr, diverging(1 - 2 * i / high));
    cairo_rectangle(cr, left, top + i, 12, 1.2);
    cairo_fill(cr);
  }
  const std::string labels[] = {fmt::format("{:.2g}", most), "0", fmt::format("{:.2g}", -most)};
  for (int i = 0; i < 3; ++i)
    write(cr, labels[i], left + 16, top + high * i / 2 - (i == 0 ? 2 : i == 1 ? 7 : 12), 44, {10}, kFaint);
}

}  // namespace sieve::draw
