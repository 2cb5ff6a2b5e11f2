#pragma once
/// Equalization of the histogram: of the whole picture with its work shown, and local with limited contrast.

#include <optional>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/tone/histogram.hpp"

namespace SIEVE_EXPORT sieve {

/// What a change of levels does to a color picture.
enum class ColorBy {
  luma,      ///< the luma is changed and every color keeps its hue; colors within 0..1 stay within it
  channels,  ///< every channel by itself: stronger, but hues shift
};
template <>
struct ChoiceNames<ColorBy> {
  static std::span<const std::pair<const char*, ColorBy>> all();
};

/// One line of the table that equalization is worked out in.
struct LevelRow {
  std::uint32_t level = 0;
  std::size_t count = 0;      ///< samples of that level
  double probability = 0;     ///< count over all samples
  double cumulative = 0;      ///< probabilities up to and with this level
  double scaled = 0;          ///< cumulative times (L - 1)
  std::uint32_t mapped = 0;   ///< scaled, rounded half away from zero: the level it becomes
  std::size_t new_count = 0;  ///< samples of this level afterwards
};

/// The table of equalization of one channel or of the luma (luma_channel): a row a level, lowest first. `levels` is L,
/// the number of levels; 0 takes those of the integer source (8 for 3 bits, 256 for 8), or 256 for float data. Samples
/// are rounded to the nearest level, those outside 0..1 to the end they lie beyond; what is not finite is left out.
/// InvalidArgument for levels of 1 or more than 65536. Source: Gonzalez and Woods, Digital Image Processing, 4th
/// ed., 3.3.
[[nodiscard]] std::vector<LevelRow> level_table(const ConstView& in, int channel = luma_channel, int levels = 0);

/// Equalization: level k becomes round((L - 1) * cumulative(k)), half away from zero, exactly as level_table has it.
/// Samples outside 0..1 count as the end level. NaN stays. Says how many levels fell together. O(samples + levels).
struct Equalize {
  std::optional<int> levels = {};  ///< L, 2 to 65536; auto: the levels of the source, 256 for float data
  ColorBy color = ColorBy::luma;   ///< luma with hue kept, or every channel by itself

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Equalize>& d);
};

/// Local equalization with limited contrast (CLAHE). The picture is cut into columns x rows tiles that differ by a
/// pixel at most; each tile's histogram (`bins` equal parts of 0..1) has its counts cut off at `limit` times the mean
/// count, and what is cut off is spread evenly over all bins below the limit; the cumulative curve, straight within a
/// bin, is the tile's map; every pixel gets the bilinear mean of the maps of the four tiles whose centers are nearest
/// (at the borders of two or one). A limit of 1 changes nothing. Samples outside 0..1 keep their distance to it; NaN
/// stays. `strength` mixes input and result. Source: Zuiderveld, "Contrast limited adaptive histogram equalization",
/// Graphics Gems IV, 1994; Pizer and others, 1987. O(samples + tiles * bins).
struct Clahe {
  int columns = 8;                ///< tiles side by side, 1 to 256, fewer where the picture is narrower
  int rows = 8;                   ///< tiles one above the other, 1 to 256
  std::optional<int> size = {};   ///< tile side in pixels instead of columns and rows; auto: by columns and rows
  Real limit = 3;                 ///< most a bin may hold, in means, 1 (no change) to 1000 (no limit to speak of)
  int bins = 256;                 ///< parts of 0..1, 2 to 65536
  Real strength = 1;              ///< 0 gives the input back, 1 the full result
  ColorBy color = ColorBy::luma;  ///< luma with hue kept, or every channel by itself

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Clahe>& d);
};

}  // namespace sieve
