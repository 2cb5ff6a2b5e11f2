#pragma once
/// One self-contained HTML file with pictures, curves and tables to look into: zoom, wipe, probe, without a network.

#include <cstddef>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/describe/stage.hpp"

namespace SIEVE_EXPORT sieve {
namespace page {

/// What a picture is to the others on its page.
enum class Role {
  input,   ///< what was given: compared with all others
  truth,   ///< the clean picture
  step,    ///< made on the way
  result,  ///< what came out
  other,   ///< beside them
};

/// A picture of a page.
struct Picture {
  std::string name;                                          ///< what it is called
  Image image;                                               ///< its samples
  Role role = Role::other;                                   ///< what it is to the others
  StageContent content = StageContent::samples;              ///< what its samples are
  std::string note = {};                                     ///< a line about it
  std::string chain = {};                                    ///< the chain that made it, as text
  std::vector<std::pair<std::string, double>> figures = {};  ///< "psnr", 31.4
};

/// Curves over common axes.
struct Plot {
  std::string title;               ///< what is shown
  std::vector<StageCurve> curves;  ///< each with the index of a point to mark, -1 for none
  std::string x_name, y_name;      ///< of the quantities along the axes
  std::string note = {};           ///< a line about it
  bool logarithmic_x = false;      ///< places along the x axis by their logarithm
  bool logarithmic_y = false;      ///< the same along the y axis
};

/// Numbers on a grid: the weights of a kernel.
struct Grid {
  std::string title;           ///< what is shown
  int columns = 0, rows = 0;   ///< cells to a side
  std::vector<double> values;  ///< row by row
  std::string note = {};       ///< a line about it
  /// The cell that counts as (0, 0) when the grid is read off; default: the middle.
  std::optional<int> anchor_x = {}, anchor_y = {};
};

/// Rows of text and numbers that the reader may sort.
struct Table {
  std::string title;                           ///< what is shown
  std::vector<std::string> columns;            ///< their heads
  std::vector<std::vector<std::string>> rows;  ///< cells as text; those that are numbers sort as numbers
  std::vector<int> pictures = {};              ///< which picture a row opens, -1 for none; may be empty
  int best = -1;                               ///< the row to mark, -1 for none
};

/// A parameter with the values that were tried.
struct Axis {
  std::string key;                  ///< as chain text gives it
  std::vector<std::string> values;  ///< as text, in order
};

/// Pictures over one or two parameters: the page's slider runs over them.
struct Runs {
  std::vector<Axis> axes;     ///< the first runs fastest
  std::vector<int> pictures;  ///< for each combination the index of its picture; may be short where a run was stopped
  std::string by;             ///< the figure to plot, of those of the pictures
  int best = -1;              ///< index into `pictures` of the best, -1 for none
};

/// How a page is written.
struct PageOptions {
  /// The page becomes no larger than this many bytes: samples that are no levels are rounded to 1/65536 and coarser
  /// steps until it fits, then pictures are shrunk; the page says so.
  std::size_t bytes = 19'000'000;
};

/// A page that is put together, then written as HTML.
///
///     sieve::page::Page page("harbor.png", "median radius=2");
///     page.add({"input", in, sieve::page::Role::input});
///     page.add({"result", out, sieve::page::Role::result});
///     std::ofstream("harbor.html") << page.html();
class Page {
 public:
  /// `title` stands at the top, `subtitle` beside it.
  explicit Page(std::string title, std::string subtitle = {});
  ~Page();
  Page(Page&&) noexcept;
  Page& operator=(Page&&) noexcept;

  /// Adds a picture; gives its index. InvalidArgument for an empty one.
  int add(Picture picture);
  /// Adds curves.
  void add(Plot plot);
  /// Adds a grid. InvalidArgument where the values are not columns times rows.
  void add(Grid grid);
  /// Adds a table. InvalidArgument where a row has not as many cells as there are columns, or `pictures` not one a row.
  void add(Table table);
  /// Adds lines of text under a title.
  void add(std::string title, std::vector<std::string> lines);
  /// Adds what a slider runs over; one a page. InvalidArgument where there are not one or two parameters, or an index
  /// names no picture or run.
  void set(Runs runs);
  /// The file. Levels of an integer source and floats travel exactly where they fit into PageOptions::bytes.
  /// O(samples), with compression the slowest part.
  [[nodiscard]] std::string html(const PageOptions& options = {}) const;

 private:
  struct Parts;
  std::unique_ptr<Parts> parts_;
};

}  // namespace page
}  // namespace sieve
