#pragma once
// What a command shows beside its words: one list of pictures, curves and numbers, drawn as a sheet, written as a page,
// or both.

#include <CLI/App.hpp>
#include <string>
#include <vector>

#include "sieve/draw.hpp"
#include "sieve/filter/filter.hpp"
#include "sieve/page/still.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::internal::cli {

// Where it goes; a name that is empty stands for nowhere.
struct ExhibitFiles {
  std::string sheet, page;

  bool wanted() const { return !sheet.empty() || !page.empty(); }
  // The options --sheet and --page; `what` says what is shown.
  void declare(CLI::App* app, const std::string& what);
  // InvalidArgument for a name with another ending than its kind has: before work begins.
  void check() const;
};

class Exhibit {
 public:
  Exhibit(const ExhibitFiles& files, const std::string& title, const std::string& subtitle);

  // A picture with its figures; its cell on the sheet follows from what its samples are. Gives its index on the page.
  int picture(page::Picture picture);
  // The same with a cell of its own.
  int picture(page::Picture picture, draw::SheetCell cell);
  void curves(const std::string& title, std::vector<StageCurve> all, const std::string& x, const std::string& y,
              const std::string& note = "", draw::SheetPanelPtr below = nullptr, draw::LogAxes logarithmic = {});
  // Curves as a panel of a sheet.
  static draw::SheetPanelPtr plot(const std::vector<StageCurve>& all, const std::string& x, const std::string& y,
                                  draw::LogAxes logarithmic = {});
  // The curves of a stage.
  void curves(const Stage& stage);
  // The weights of a kernel for a page.
  static page::Grid grid_of(const std::string& title, const Kernel& kernel, const std::string& note = "");
  void kernel(const std::string& title, const Kernel& kernel, const std::string& note, draw::SheetPanelPtr below);
  // What a page draws of its pictures by itself.
  void on_sheet(draw::SheetCell cell) { sheet_.add(std::move(cell)); }
  page::Page& on_page() { return page_; }
  bool has_sheet() const { return !files_.sheet.empty(); }
  bool has_page() const { return !files_.page.empty(); }

  // Writes what is wanted, and says where on standard error.
  void write() const;

 private:
  ExhibitFiles files_;
  draw::Sheet sheet_;
  page::Page page_;
};

// The picture of a step or result whose samples are signed by their nature, as such.
StageContent content_of(const Filter& made_by, const ConstView& image);

}  // namespace sieve::internal::cli
