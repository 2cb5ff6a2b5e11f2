#pragma once
/// Sheets: pictures, histograms and plots side by side on one page. Target LeanSieve::draw.

#include <cstdint>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {
namespace draw {

/// Something that fills a rectangle of a sheet. Made by the functions below; holds all it needs.
class SheetPanel {
 public:
  virtual ~SheetPanel() = default;
  /// Width over height that suits it; 0 where it fills any rectangle.
  virtual double aspect() const { return 0; }
  /// How high it may grow for its width when it stands below another panel.
  virtual double tallest() const { return 0.75; }
  /// The height in pixels that it needs below another panel, where it is `width` wide.
  virtual double least_height(double /*width*/) const { return 120; }
  /// For the library's own use: paints on a Cairo context (`cairo_t*`), within left, top, width, height in pixels.
  virtual void paint(void* cairo, double left, double top, double width, double height) const = 0;
};
/// A panel, shared by sheets; panels do not change.
using SheetPanelPtr = std::shared_ptr<const SheetPanel>;

/// A picture on the 0..1 scale. Samples outside are not hidden: in gray pictures what is below 0 is tinted blue and
/// what is above 1 orange, the more the farther. Large pictures are reduced by area averaging to fit, small ones
/// enlarged in whole steps. Keeps a reduced copy. O(samples).
[[nodiscard]] SheetPanelPtr picture(const ConstView& image);

/// The histogram of every color channel over the 0..1 scale (wider where samples lie outside), with counts on the
/// y axis; the x axis counts stored levels for integer sources. Over it the cumulative curve of the luma, from 0 at the
/// bottom to all samples at the top, and in words the shares of samples at either end. With `marks` also the peaks and
/// valleys of the luma (histogram_peaks) and a legend. O(samples).
[[nodiscard]] SheetPanelPtr histogram(const ConstView& image, bool marks = false);

/// One curve of a plot.
struct PlotCurve {
  std::string name;
  std::vector<double> x;
  std::vector<double> y;
  int marked = -1;  ///< index of a point to mark, -1 for none
};
/// Which axes of a plot are logarithmic: they are labeled with the values themselves, and what is not above 0 has no
/// place on them.
struct LogAxes {
  bool x = false;  ///< the axis across
  bool y = false;  ///< the axis upward
};
/// Curves on common axes with a legend; points are drawn where a curve has few. O(points).
[[nodiscard]] SheetPanelPtr curves(std::vector<PlotCurve> all, std::string x_label, std::string y_label,
                                   LogAxes logarithmic = {});

/// A grid of numbers as colors, with a bar of the scale: blue below 0, orange above, pale at 0, so that sign and size
/// are seen and told apart without relying on red and green. Each cell shows its number where there is room.
[[nodiscard]] SheetPanelPtr heat(int columns, int rows, std::vector<double> values);

/// A signed picture (a difference), color channels averaged, on the same scale: pale at 0, blue below, orange above,
/// with its bar; the scale ends at the 99.5th percentile of the absolute samples. Keeps a reduced copy.
[[nodiscard]] SheetPanelPtr signed_picture(const ConstView& image);

/// A name and the picture it stands for.
struct NamedImage {
  std::string name;
  ConstView image;
};
/// Histograms of the luma of several pictures over common axes, with a legend. O(samples).
[[nodiscard]] SheetPanelPtr histograms(const std::vector<NamedImage>& pictures);

/// Cumulative curves of the luma of several pictures over common axes, with a legend. O(samples).
[[nodiscard]] SheetPanelPtr cumulatives(const std::vector<NamedImage>& pictures);

/// Figures over two parameters as a map: light is low and dark is high, each cell with its number where there is room,
/// the best one framed. `values` row by row; `best` is an index into it, or -1.
[[nodiscard]] SheetPanelPtr map(std::vector<std::string> columns, std::vector<std::string> rows,
                                std::vector<double> values, int best, std::string x_label, std::string y_label);

/// A picture over the frequencies, zero in the middle (spectrum_image, a transfer function), gray from 0 to 1, with
/// axes in cycles per pixel and rings around the places (fx, fy) and their mirror places. Keeps a reduced copy.
[[nodiscard]] SheetPanelPtr frequency_plane(const ConstView& image, std::vector<std::pair<double, double>> marks = {});

/// Two panels side by side, or one above the other in a narrow column, where the first is as wide as that; beside each
/// other the first gets the room that its aspect needs, up to half.
[[nodiscard]] SheetPanelPtr beside(SheetPanelPtr first, SheetPanelPtr second);

/// Lines of text.
[[nodiscard]] SheetPanelPtr text(std::vector<std::string> lines);

/// One place of a sheet: a caption, what it shows, a note under it, and a second panel below (may be null).
struct SheetCell {
  std::string caption;  ///< above the picture
  SheetPanelPtr main;   ///< the panel itself
  std::string note;     ///< a line under both
  SheetPanelPtr below;  ///< a second panel under it, or null
};

/// The cell for a picture: caption, picture, its range in words, histogram.
[[nodiscard]] SheetCell picture_cell(std::string caption, const ConstView& image);

/// The part of a picture that a detail cell shows, enlarged in whole steps.
[[nodiscard]] SheetPanelPtr detail(const ConstView& image, const Rectangle& part);

/// A page of cells on an even grid.
class Sheet {
 public:
  /// `title` in large type, `subtitle` under it.
  explicit Sheet(std::string title, std::string subtitle = {})
      : title_(std::move(title)), subtitle_(std::move(subtitle)) {}
  void add(SheetCell cell) { cells_.push_back(std::move(cell)); }
  /// The page as a PNG file, `width` pixels wide. Pictures fill their columns, of which there are as few as keep the
  /// page below 1.65 times `height`, and four where it must be higher; it ends where its cells do. Error where Cairo
  /// fails.
  std::vector<std::uint8_t> png(int width = 1280, int height = 800) const;

 private:
  std::string title_;
  std::string subtitle_;
  std::vector<SheetCell> cells_;
};

}  // namespace draw
}  // namespace sieve
