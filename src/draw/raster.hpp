#pragma once
// Pictures as pixels on a page.

#include <functional>

#include "draw/ink.hpp"
#include "sieve/core/image.hpp"

namespace sieve::draw {

// A copy no larger than any sheet can show.
Image reduced_copy(const ConstView& v);

// Paints a picture into a box, reduced by area averaging or enlarged in whole steps, with a hairline around it; the
// color of a pixel is color(picture, x, y). Returns the width taken.
double paint_raster(cairo_t* cr, const Image& image, double left, double top, double width, double height,
                    const std::function<Color(const ConstView&, int, int)>& color);

// The bar of the diverging scale with its ends and middle labeled, `high` pixels tall.
void paint_bar(cairo_t* cr, double left, double top, double high, double most);

}  // namespace sieve::draw
