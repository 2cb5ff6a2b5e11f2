#pragma once
/// Convolution kernels: by name, from text, from a file.

#include <complex>
#include <iosfwd>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// A small grid of weights ("taps") with an anchor: the tap that lies on the pixel being computed.
/// Weights are in double; taps are stored row by row from the top left.
class Kernel {
 public:
  /// One tap of weight 1: the identity.
  Kernel() : Kernel(1, 1, {1.0}) {}
  /// Odd sides; the anchor is the middle. InvalidArgument for even sides (name the anchor then), a wrong number of
  /// taps, a tap that is not finite, or more than 4096 taps to a side.
  Kernel(int width, int height, std::vector<double> taps);
  /// Any sides with the anchor named, counted from the top left of the kernel as written.
  Kernel(int width, int height, std::vector<double> taps, int anchor_x, int anchor_y);

  int width() const { return width_; }        ///< taps a row
  int height() const { return height_; }      ///< taps a column
  int anchor_x() const { return anchor_x_; }  ///< column of the anchor, from 0 at the left
  int anchor_y() const { return anchor_y_; }  ///< row of the anchor, from 0 at the top
  /// All taps, row by row from the top left.
  const std::vector<double>& taps() const SIEVE_LOOKS_INTO { return taps_; }
  /// The tap in column x of row y; no check.
  double at(int x, int y) const {
    return taps_[static_cast<std::size_t>(y) * static_cast<std::size_t>(width_) + static_cast<std::size_t>(x)];
  }
  /// Sum of all taps: 1 keeps brightness, 0 answers only to change, anything else brightens or darkens.
  double sum() const;
  /// The same taps divided by their sum. InvalidArgument where the sum is 0.
  [[nodiscard]] Kernel normalized() const;
  /// Turned by 180 degrees, anchor with it: what convolution does to a kernel and correlation does not.
  [[nodiscard]] Kernel turned() const;
  /// The column and row whose outer product the kernel is (to 1e-6 of its largest tap), or nothing: a separable
  /// kernel runs as two one-dimensional passes.
  struct Factors;
  std::optional<Factors> separated() const;
  /// The name or text it was made from, where there is one; otherwise its rows as text.
  std::string text() const;

  /// Square of 2 * radius + 1 equal taps of sum 1.
  [[nodiscard]] static Kernel box(int radius);
  /// Gaussian sampled at whole pixels, sum 1. `sigma` above 0, in pixels; `size` odd, 0 means 2 * ceil(4 sigma) + 1,
  /// which leaves out less than 7e-5 of the weight.
  [[nodiscard]] static Kernel gaussian(double sigma, int size = 0);
  /// Pixels with dx^2 + dy^2 <= radius^2, equal taps of sum 1: a lens out of focus. `radius` 0 to 500, fractional too.
  [[nodiscard]] static Kernel disk(double radius);
  /// A straight line through the middle, drawn with antialiasing, sum 1: a shaken camera. `length` 1 to 1000 pixels,
  /// `angle` in degrees, counterclockwise from the x axis as seen.
  [[nodiscard]] static Kernel motion(double length, double angle);
  /// Diffraction at a round opening, sum 1: (2 J1(x) / x)^2 with x = 3.8317 at the first dark ring, over four of its
  /// radii. `radius` of that ring, 0.5 to 100 pixels. Source: Born and Wolf, "Principles of Optics", 8.5.
  [[nodiscard]] static Kernel airy(double radius);
  /// The outer product of two profiles: tap (x, y) is column[y] * row[x]. Odd lengths; the anchor is the middle.
  [[nodiscard]] static Kernel outer(std::span<const double> column, std::span<const double> row);
  /// 3x3, leaves the picture as it is.
  [[nodiscard]] static Kernel identity();
  /// 3x3, the picture minus its Laplacian of 4 neighbors; sum 1.
  [[nodiscard]] static Kernel sharpen();
  /// 3x3, second differences over 4 or 8 neighbors; sum 0. InvalidArgument for another number.
  [[nodiscard]] static Kernel laplacian(int neighbors = 4);
  /// 3x3 first differences as textbooks write them for correlation, right minus left (x) or below minus above (y): sum
  /// 0; divide by 8, 6 or 32 for the slope per pixel. The truest direction is Scharr's.
  [[nodiscard]] static Kernel sobel_x();
  [[nodiscard]] static Kernel sobel_y();
  [[nodiscard]] static Kernel prewitt_x();
  [[nodiscard]] static Kernel prewitt_y();
  [[nodiscard]] static Kernel scharr_x();
  [[nodiscard]] static Kernel scharr_y();
  /// 3x3, a relief lit from the top left; sum 1.
  [[nodiscard]] static Kernel emboss();
  /// A picture of a PSF as a kernel of sum 1, its anchor the middle (of an even side the sample right of and below it).
  /// The luma of a color picture. InvalidArgument where the sum is not above 0, a sample is not finite, or a side is
  /// above 4096.
  [[nodiscard]] static Kernel of_picture(const ConstView& picture);
  /// The kernel of a text: a name with parameters ("gaussian:sigma=2", "sobel_x"), rows split by `/` and numbers
  /// by `,` ("0,-1,0/-1,5,-1/0,-1,0", with ":anchor=X,Y" behind it for even sides), or "@FILE". A file holds a row
  /// a line, numbers split by blanks or commas, `#` starts a comment, and a line `anchor X Y` names the anchor; or it
  /// is a picture (of_picture). InvalidArgument says what is wrong where.
  [[nodiscard]] static Kernel parse(std::string_view text, const Resources& resources = {});
  /// The names that parse() knows, with one line each.
  struct Preset;
  static const std::vector<Preset>& names();

 private:
  // The 3x3 kernel of that name; nothing where there is none.
  static std::optional<Kernel> fixed(std::string_view name);

  int width_;
  int height_;
  int anchor_x_;
  int anchor_y_;
  std::vector<double> taps_;
  std::string text_;
};

struct Kernel::Factors {
  std::vector<double> column;  ///< one weight a row of the kernel
  std::vector<double> row;     ///< one weight a column of the kernel
};

struct Kernel::Preset {
  std::string name;
  std::string parameters;  ///< "sigma=1, size=0"
  std::string help;
};

/// Its size, anchor and sum on a line, then its rows, for people: `std::cout << Kernel::sobel_x()`. text() is what
/// parse() reads.
std::ostream& operator<<(std::ostream& out, const Kernel& kernel);

/// The transfer function of convolution with a kernel: sum of its taps times exp(-2 pi i (fx x + fy y)), x and y from
/// the anchor, fx and fy in cycles per pixel. O(taps).
[[nodiscard]] std::complex<double> frequency_response(const Kernel& kernel, double fx, double fy);

template <>
struct TextValue<Kernel> {
  static std::string text(const Kernel& k) { return k.text(); }
  [[nodiscard]] static Kernel parse(std::string_view s, const Resources& r) { return Kernel::parse(s, r); }
  static const char* allowed() {
    return "a kernel: a name such as sobel_x or gaussian:sigma=2, rows like 0,1,0/1,-4,1/0,1,0, or @FILE";
  }
};

}  // namespace sieve
