#include "cli/exhibit.hpp"

#include <fmt/format.h>

#include "cli/session.hpp"

namespace sieve::internal::cli {

void ExhibitFiles::declare(CLI::App* app, const std::string& what) {
  app->add_option("--sheet", sheet, "draw " + what + " into this PNG");
  app->add_option("--page", page, "the same to look into with a browser, as one HTML file");
}

void ExhibitFiles::check() const {
  if (!sheet.empty() && io::format_of_name(sheet) != io::Format::png)
    throw InvalidArgument(sheet + ": a sheet is a PNG: give a name that ends in .png");
  if (!page.empty() && !page.ends_with(".html"))
    throw InvalidArgument(page + ": a page is an HTML file: give a name that ends in .html");
}

Exhibit::Exhibit(const ExhibitFiles& files, const std::string& title, const std::string& subtitle)
    : files_(files), sheet_(title, subtitle), page_(title, subtitle) {
  files_.check();
}

int Exhibit::picture(page::Picture picture) {
  draw::SheetCell cell;
  if (has_sheet()) {
    cell = draw::picture_cell(picture.name, picture.image);
    if (!picture.note.empty()) cell.note = picture.note;
    if (picture.content == StageContent::differences) cell.main = draw::signed_picture(picture.image);
    if (picture.content == StageContent::frequencies) {
      cell.main = draw::frequency_plane(picture.image);
      cell.below = nullptr;
    }
  }
  return this->picture(std::move(picture), std::move(cell));
}

int Exhibit::picture(page::Picture picture, draw::SheetCell cell) {
  if (has_sheet()) sheet_.add(std::move(cell));
  return has_page() ? page_.add(std::move(picture)) : -1;
}

void Exhibit::curves(const std::string& title, std::vector<StageCurve> all, const std::string& x, const std::string& y,
                     const std::string& note, draw::SheetPanelPtr below, draw::LogAxes logarithmic) {
  if (has_sheet()) sheet_.add({title, plot(all, x, y, logarithmic), note, std::move(below)});
  if (has_page()) page_.add(page::Plot{title, std::move(all), x, y, note, logarithmic.x, logarithmic.y});
}

draw::SheetPanelPtr Exhibit::plot(const std::vector<StageCurve>& all, const std::string& x, const std::string& y,
                                  draw::LogAxes logarithmic) {
  std::vector<draw::PlotCurve> drawn;
  for (const StageCurve& c : all) drawn.push_back({c.name, c.x, c.y, c.chosen});
  return draw::curves(std::move(drawn), x, y, logarithmic);
}

void Exhibit::curves(const Stage& stage) { curves(stage.name, stage.curves, stage.x_name, stage.y_name); }

page::Grid Exhibit::grid_of(const std::string& title, const Kernel& kernel, const std::string& note) {
  return {title, kernel.width(), kernel.height(), kernel.taps(), note, kernel.anchor_x(), kernel.anchor_y()};
}

void Exhibit::kernel(const std::string& title, const Kernel& kernel, const std::string& note,
                     draw::SheetPanelPtr below) {
  if (has_sheet())
    sheet_.add({title, draw::heat(kernel.width(), kernel.height(), kernel.taps()), note, std::move(below)});
  if (has_page()) page_.add(grid_of(title, kernel, note));
}

void Exhibit::write() const {
  if (has_sheet()) {
    io::write_bytes(files_.sheet, sheet_.png());
    wipe_share();
    say(stderr, "sheet: {}\n", on_one_line(files_.sheet));
  }
  if (has_page()) {
    const std::string html = page_.html();
    io::write_bytes(files_.page, {html.begin(), html.end()});
    wipe_share();
    say(stderr, "page: {}\n", on_one_line(files_.page));
  }
}

StageContent content_of(const Filter& made_by, const ConstView& image) {
  // As a picture most of it would be black.
  return made_by.result_white_level(1) == 0 && sample_range(image).minimum < 0 ? StageContent::differences
                                                                               : StageContent::samples;
}

}  // namespace sieve::internal::cli
