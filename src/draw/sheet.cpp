#include <algorithm>
#include <cmath>

#include "draw/ink.hpp"
#include "sieve/core/error.hpp"
#include "sieve/draw.hpp"

namespace sieve::draw {

namespace {

constexpr double kMargin = 20, kGap = 18, kCaption = 36, kNote = 32, kLeastCell = 230;

cairo_status_t append(void* closure, const unsigned char* data, unsigned n) {
  auto* out = static_cast<std::vector<std::uint8_t>*>(closure);
  out->insert(out->end(), data, data + n);
  return CAIRO_STATUS_SUCCESS;
}

struct Grid {
  int columns = 1, rows = 1;
  double cell_width = 0, cell_height = 0;
};

// The least height of the second panel in a cell; it takes what the main panel leaves, as far as it suits it.
double below_height(double cell_height) { return std::clamp(0.3 * cell_height, 84.0, 190.0); }

// The number of columns that shows the main panels largest.
Grid best_grid(std::size_t n, double width, double height, double aspect, bool below) {
  Grid best;
  double most = -1;
  for (int columns = 1; columns <= static_cast<int>(n); ++columns) {
    const int rows = (static_cast<int>(n) + columns - 1) / columns;
    const double w = (width - (columns - 1) * kGap) / columns;
    const double h = std::max(kLeastCell, (height - (rows - 1) * kGap) / rows);
    const double room = h - kCaption - kNote - (below ? below_height(h) : 0);
    if (w < 120) break;
    const double shown = aspect > 0 ? std::min(w, room * aspect) : std::min(w, 1.6 * room);
    // A grid that needs a higher page is taken only where nothing else shows more.
    const double score = shown - (h * rows > height + 1 ? 0.25 * shown : 0);
    if (room > 40 && score > most) {
      most = score;
      best = {columns, rows, w, h};
    }
  }
  return best;
}

}  // namespace

std::vector<std::uint8_t> Sheet::png(int width, int height) const {
  std::vector<double> aspects;
  bool any_below = false;
  for (const SheetCell& c : cells_) {
    if (c.main && c.main->aspect() > 0) aspects.push_back(c.main->aspect());
    any_below = any_below || c.below != nullptr;
  }
  std::sort(aspects.begin(), aspects.end());
  const double aspect = aspects.empty() ? 0 : aspects[aspects.size() / 2];
  const double head = subtitle_.empty() ? 44 : 64;
  const double top = kMargin + head;
  const Grid grid = best_grid(std::max<std::size_t>(cells_.size(), 1), width - 2 * kMargin, height - top - kMargin,
                              aspect, any_below);
  const double needed = top + kMargin + grid.rows * grid.cell_height + (grid.rows - 1) * kGap;
  const int page = std::max(height, static_cast<int>(std::ceil(needed)));

  cairo_surface_t* surface = cairo_image_surface_create(CAIRO_FORMAT_RGB24, width, page);
  cairo_t* cr = cairo_create(surface);
  ink(cr, kPaper);
  cairo_paint(cr);
  write(cr, title_, kMargin, kMargin - 4, width - 2 * kMargin, {20, true}, kInk);
  write(cr, subtitle_, kMargin, kMargin + 26, width - 2 * kMargin, {13, false, 2}, kFaint);
  for (std::size_t i = 0; i < cells_.size(); ++i) {
    const SheetCell& c = cells_[i];
    const int column = static_cast<int>(i) % grid.columns, row = static_cast<int>(i) / grid.columns;
    const double x = kMargin + column * (grid.cell_width + kGap), y = top + row * (grid.cell_height + kGap);
    const double below = c.below ? below_height(grid.cell_height) : 0;
    const double captioned = measure(cr, c.caption, grid.cell_width, {13, true, 2});
    write(cr, c.caption, x, y + std::max(0.0, kCaption - 4 - captioned), grid.cell_width, {13, true, 2}, kInk);
    const double room = grid.cell_height - kCaption - kNote - below;
    double used = room;
    if (c.main) {
      // Pictures sit under their caption, not in the middle of the room, so that rows align.
      if (c.main->aspect() > 0) used = std::min(room, grid.cell_width / c.main->aspect());
      c.main->paint(cr, x, y + kCaption, grid.cell_width, used);
    }
    write(cr, c.note, x, y + kCaption + used + 5, grid.cell_width, {11, false, 2}, kFaint);
    if (c.below) {
      const double left = grid.cell_height - kCaption - kNote - used;
      c.below->paint(cr, x, y + kCaption + used + kNote, grid.cell_width,
                     std::max(std::min(left, c.below->tallest() * grid.cell_width), below));
    }
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
