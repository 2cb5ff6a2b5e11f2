// Panels that set pictures against each other.

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "draw/raster.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/map.hpp"
#include "sieve/draw.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve::draw {

namespace {

// Narrower than this two panels stand one above the other.
constexpr double kBar = 62, kColumn = 560;

class SignedPanel final : public SheetPanel {
 public:
  explicit SignedPanel(const ConstView& v) {
    const Image gray = to_gray(v, GrayBy::average);
    const Image size = map_samples(gray, [](float d) { return std::fabs(d); });
    const ChannelStatistics s = statistics(size)[0];
    // A few large differences must not make all the others pale.
    if (s.not_finite < size.shape().pixels()) most_ = percentile(size, 0.995);
    if (most_ == 0) most_ = s.maximum > 0 ? s.maximum : 1;
    image_ = reduced_copy(gray);
  }
  double aspect() const override { return static_cast<double>(image_.width()) / image_.height(); }
  void paint(void* cairo, double left, double top, double width, double height) const override {
    auto* cr = static_cast<cairo_t*>(cairo);
    const double taken = paint_raster(
        cr, image_, left, top, width - kBar, std::min(height, (width - kBar) / aspect()),
        [this](const ConstView& v, int x, int y) { return diverging(static_cast<double>(v.at(x, y)) / most_); });
    const double high = std::min(height, taken / aspect());
    paint_bar(cr, left + taken + 10, top, high, most_);
  }

 private:
  Image image_;
  double most_ = 0;
};

class BesidePanel final : public SheetPanel {
 public:
  BesidePanel(SheetPanelPtr first, SheetPanelPtr second) : first_(std::move(first)), second_(std::move(second)) {}
  double tallest() const override { return 1.6; }
  double least_height(double width) const override {
    const double aspect = first_->aspect() > 0 ? first_->aspect() : 1;
    return width < kColumn ? width / aspect + 10 + second_->least_height(width)
                           : std::max(second_->least_height(width / 2), 0.3 * width);
  }
  void paint(void* cairo, double left, double top, double width, double height) const override {
    const double aspect = first_->aspect() > 0 ? first_->aspect() : 1;
    if (width < kColumn || height > width) {
      const double share = std::min(height - 10 - second_->least_height(width), width / aspect);
      first_->paint(cairo, left, top, width, share);
      second_->paint(cairo, left, top + share + 10, width, height - share - 10);
      return;
    }
    const double share = std::min(0.5 * width, height * aspect);
    first_->paint(cairo, left, top, share, height);
    second_->paint(cairo, left + share + 8, top, width - share - 8, height);
  }

 private:
  SheetPanelPtr first_, second_;
};

class MapPanel final : public SheetPanel {
 public:
  MapPanel(std::vector<std::string> columns, std::vector<std::string> rows, std::vector<double> values, int best,
           std::string x_label, std::string y_label)
      : columns_(std::move(columns)),
        rows_(std::move(rows)),
        values_(std::move(values)),
        best_(best),
        x_label_(std::move(x_label)),
        y_label_(std::move(y_label)) {}
  void paint(void* cairo, double left, double top, double width, double height) const override {
    auto* cr = static_cast<cairo_t*>(cairo);
    double low = 1e300, high = -1e300;
    for (const double v : values_) {
      if (!std::isfinite(v)) continue;
      low = std::min(low, v);
      high = std::max(high, v);
    }
    const double margin = 54, foot = 36, head = 18;
    const double cw = (width - margin) / static_cast<double>(columns_.size()),
                 ch = (height - foot - head) / static_cast<double>(rows_.size());
    write(cr, y_label_, left, top, width, {10}, kFaint);
    for (std::size_t r = 0; r < rows_.size(); ++r) {
      write(cr, rows_[r], left, top + head + (static_cast<double>(r) + 0.5) * ch - 7, margin - 6, {10}, kFaint);
      for (std::size_t c = 0; c < columns_.size(); ++c) {
        const std::size_t i = r * columns_.size() + c;
        const double v = values_[i], t = high > low ? (v - low) / (high - low) : 0.5;
        const double x = left + margin + static_cast<double>(c) * cw, y = top + head + static_cast<double>(r) * ch;
        const Color dark{0.10, 0.28, 0.42};
        ink(cr, std::isfinite(v)
                    ? Color{0.95 + t * (dark.r - 0.95), 0.95 + t * (dark.g - 0.95), 0.93 + t * (dark.b - 0.93)}
                    : kRule);
        cairo_rectangle(cr, x, y, cw - 1, ch - 1);
        cairo_fill(cr);
        if (cw > 36 && ch > 16)
          write(cr, std::isfinite(v) ? fmt::format("{:.4g}", v) : "-", x, y + ch / 2 - 8, cw, {11, false, 1, true},
                t > 0.55 ? kPlate : kInk);
        if (static_cast<int>(i) == best_) {
          ink(cr, kAbove);
          cairo_set_line_width(cr, 3);
          cairo_rectangle(cr, x + 1, y + 1, cw - 3, ch - 3);
          cairo_stroke(cr);
        }
      }
    }
    for (std::size_t c = 0; c < columns_.size(); ++c) {
      write(cr, columns_[c], left + margin + static_cast<double>(c) * cw, top + height - foot + 3, cw,
            {10, false, 1, true}, kFaint);
    }
    write(cr, x_label_, left + margin, top + height - 16, width - margin, {10, false, 1, true}, kFaint);
  }

 private:
  std::vector<std::string> columns_, rows_;
  std::vector<double> values_;
  int best_;
  std::string x_label_, y_label_;
};

}  // namespace

SheetPanelPtr signed_picture(const ConstView& image) { return std::make_shared<SignedPanel>(image); }

SheetPanelPtr beside(SheetPanelPtr first, SheetPanelPtr second) {
  return std::make_shared<BesidePanel>(std::move(first), std::move(second));
}

SheetPanelPtr map(std::vector<std::string> columns, std::vector<std::string> rows, std::vector<double> values, int best,
                  std::string x_label, std::string y_label) {
  return std::make_shared<MapPanel>(std::move(columns), std::move(rows), std::move(values), best, std::move(x_label),
                                    std::move(y_label));
}

SheetPanelPtr detail(const ConstView& image, const Rectangle& part) { return picture(image.part(part)); }

}  // namespace sieve::draw
