#include <algorithm>
#include <cmath>

#include "draw/ink.hpp"
#include "sieve/core/error.hpp"
#include "sieve/draw.hpp"

namespace sieve::draw {

namespace {

constexpr double kMargin = 20, kGap = 18, kCaption = 36, kNote = 32;
constexpr int kMostColumns = 4;
// How much higher than it should be a page may grow before pictures are made smaller.
constexpr double kGrows = 1.65;

cairo_status_t append(void* closure, const unsigned char* data, unsigned n) {
  auto* out = static_cast<std::vector<std::uint8_t>*>(closure);
  out->insert(out->end(), data, data + n);
  return CAIRO_STATUS_SUCCESS;
}

// How a cell's main panel stands in a column: a picture fills it, a plot has a shape that reads well.
double main_height(const SheetCell& c, double width) {
  if (!c.main) return 0;
  return c.main->aspect() > 0 ? std::min(width / c.main->aspect(), 1.25 * width) : 0.55 * width;
}

struct Grid {
  int columns = 1;
  double cell_width = 0;
  std::vector<double> mains, belows;  // heights in each row
  double height = 0;                  // of all rows
};

Grid grid_of(const std::vector<SheetCell>& cells, int columns, double width) {
  Grid g;
  g.columns = columns;
  g.cell_width = (width - (columns - 1) * kGap) / columns;
  for (std::size_t i = 0; i < cells.size(); ++i) {
    if (i % static_cast<std::size_t>(columns) == 0) {
      g.mains.push_back(0);
      g.belows.push_back(0);
    }
    g.mains.back() = std::max(g.mains.back(), main_height(cells[i], g.cell_width));
    if (cells[i].below) g.belows.back() = std::max(g.belows.back(), cells[i].below->least_height(g.cell_width));
  }
  for (std::size_t r = 0; r < g.mains.size(); ++r)
    g.height += kCaption + g.mains[r] + kNote + g.belows[r] + (r > 0 ? kGap : 0);
  return g;
}

// As few columns as keep the page from growing high: pictures are then largest, and fill their columns.
Grid best_grid(const std::vector<SheetCell>& cells, double width, double most, double alone) {
  const int n = static_cast<int>(cells.size());
  for (int columns = 1; columns < std::min(n, kMostColumns); ++columns) {
    Grid g = grid_of(cells, columns, width);
    if (g.height <= most) return g;
  }
  Grid g = grid_of(cells, std::max(1, std::min(n, kMostColumns)), width);
  // A cell by itself has a whole page to fill, and no more.
  if (n == 1 && g.height > alone) {
    g.mains[0] -= g.height - alone;
    g.height = alone;
  }
  return g;
}

}  // namespace

std::vector<std::uint8_t> Sheet::png(int width, int height) const {
  const double head = subtitle_.empty() ? 44 : 64;
  const double top = kMargin + head;
  const Grid grid = best_grid(cells_, width - 2 * kMargin, kGrows * height - top - kMargin, height - top - kMargin);
  const int page = std::max(height / 2, static_cast<int>(std::ceil(top + grid.height + kMargin)));

  cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, page);
  cairo_t* cr = cairo_create(surface);
  ink(cr, kPaper);
  cairo_paint(cr);
  write(cr, title_, kMargin, kMargin - 4, width - 2 * kMargin, {20, true}, kInk);
  write(cr, subtitle_, kMargin, kMargin + 26, width - 2 * kMargin, {13, false, 2}, kFaint);
  double y = top;
  for (std::size_t i = 0; i < cells_.size(); ++i) {
    const SheetCell& c = cells_[i];
    const std::size_t column = i % static_cast<std::size_t>(grid.columns),
                      row = i / static_cast<std::size_t>(grid.columns);
    if (column == 0 && row > 0) y += kCaption + grid.mains[row - 1] + kNote + grid.belows[row - 1] + kGap;
    const double x = kMargin + static_cast<double>(column) * (grid.cell_width + kGap), w = grid.cell_width;
    const double captioned = measure(cr, c.caption, w, {13, true, 2});
    write(cr, c.caption, x, y + std::max(0.0, kCaption - 4 - captioned), w, {13, true, 2}, kInk);
    // Pictures sit under their caption, not in the middle of the room, so that rows align.
    const double room = grid.mains[row],
                 used = c.main && c.main->aspect() > 0 ? std::min(room, w / c.main->aspect()) : room;
    if (c.main) c.main->paint(cr, x, y + kCaption, w, used);
    write(cr, c.note, x, y + kCaption + used + 5, w, {11, false, 2}, kFaint);
    if (!c.below) continue;
    // It may take what the main panel leaves, as far as it suits it.
    const double left = room - used + grid.belows[row];
    c.below->paint(cr, x, y + kCaption + used + kNote, w,
                   std::max(std::min(left, c.below->tallest() * w), c.below->least_height(w)));
  }
  std::vector<std::uint8_t> bytes;
  const cairo_status_t status = cairo_surface_write_to_png_stream(surface, append, &bytes);
  cairo_destroy(cr);
  cairo_surface_destroy(surface);
  if (status != CAIRO_STATUS_SUCCESS)
    throw Error(std::string("the sheet cannot be drawn: ") + cairo_status_to_string(status));
  return bytes;
}

}  // namespace sieve::draw
