#pragma once
/// The set of pixels that a window holds.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// The form of a window of a given radius.
enum class WindowShape {
  square,  ///< 2 radius + 1 pixels a side; the radius is whole
  disk,    ///< dx^2 + dy^2 <= radius^2; any radius
  cross,   ///< the row and the column through the middle; the radius is whole
};
template <>
struct ChoiceNames<WindowShape> {
  static std::span<const std::pair<const char*, WindowShape>> all();
};

/// A window of one's own: which pixels about the middle it holds. Empty at first.
class Footprint {
 public:
  Footprint() = default;
  /// Rows of 0 and 1 split by `/` or line ends, of one odd length and an odd number, the middle being the pixel itself:
  /// `0,1,0/1,1,1/0,1,0`; or `none`. At least one 1. InvalidArgument with what is allowed.
  static Footprint parse(std::string_view text);
  bool empty() const { return rows_.empty(); }
  const std::string& text() const { return text_; }
  /// A value a place, row by row, 1 where the window holds it.
  const std::vector<std::vector<int>>& rows() const { return rows_; }

 private:
  std::string text_ = "none";
  std::vector<std::vector<int>> rows_;
};
template <>
struct TextValue<Footprint> {
  static std::string text(const Footprint& f) { return f.text(); }
  static Footprint parse(std::string_view s, const Resources& r);
  static const char* allowed();
};

/// A place in a window, relative to its middle.
struct WindowOffset {
  int dx, dy;
};
/// The places of a window, row by row: those of the footprint where one is given, else of the shape and radius.
/// InvalidArgument, naming `who`, for a fractional radius of a square or a cross.
[[nodiscard]] std::vector<WindowOffset> window_offsets(const char* who, WindowShape shape, float radius,
                                                       const Footprint& footprint);

}  // namespace sieve
