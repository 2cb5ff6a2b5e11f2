#pragma once
/// Matching the histogram of a picture to another one's, or to a given distribution.

#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"
#include "sieve/tone/equalize.hpp"

namespace SIEVE_EXPORT sieve {

/// Gives a picture the histogram of another, which may have any size. Where both come from integer files: level k
/// becomes the lowest level j of the other with cumulative(j) >= cumulative(k). Otherwise by cumulative curves that are
/// straight within each of `bins` parts of 0..1 (or of a picture's own range, where that is wider). The map rises
/// everywhere; a picture matched to itself stays as it is. A gray second picture serves every channel of the first; a
/// gray first picture takes the luma of the second. NaN stays; it counts in neither histogram. Source: Gonzalez and
/// Woods, 4th ed., 3.3 (specification). O(samples + bins).
struct Match {
  SharedImage with = {};              ///< the picture whose histogram is wanted
  ColorBy color = ColorBy::channels;  ///< every channel by itself (takes over the tint, too), or luma with hue kept
  int bins = 1024;                    ///< parts of 0..1 or of the range for float data, 2 to 1048576

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Match>& d);
};

/// A distribution of levels over 0..1.
class LevelDistribution {
 public:
  /// Uniform.
  LevelDistribution() : LevelDistribution(parse("uniform")) {}
  /// `uniform`, `normal:mean=M,deviation=D`, `rayleigh:scale=S` (both cut to 0..1), or rows of text "level,density"
  /// with rising levels in 0..1 and densities of 0 or more, straight lines between them; a first row of words is
  /// skipped. InvalidArgument with what is allowed.
  static LevelDistribution parse(std::string_view text);
  /// The level below which the share `share` (0..1) lies: rises from the lowest level to the highest.
  double quantile(double share) const;
  /// The text it was made from (rows split by `/` for a curve).
  const std::string& text() const { return text_; }

 private:
  explicit LevelDistribution(std::string text) : text_(std::move(text)) {}
  std::string text_;
  std::vector<double> levels_;      // the curve's corners
  std::vector<double> cumulative_;  // the share below each
};
template <>
struct TextValue<LevelDistribution> {
  static std::string text(const LevelDistribution& d) { return d.text(); }
  static LevelDistribution parse(std::string_view s, const Resources& r);
  static const char* allowed();
};

/// Gives a picture a histogram of a wanted form. A level of an integer source goes to the level of the distribution at
/// the middle of its step in the cumulative curve, (cumulative(k - 1) + cumulative(k)) / 2; float data by a cumulative
/// curve that is straight within each of `bins` parts of 0..1 (of the picture's range, where that is wider). NaN stays.
/// O(samples + bins).
struct MatchDistribution {
  LevelDistribution to = {};      ///< the wanted distribution
  ColorBy color = ColorBy::luma;  ///< luma with hue kept, or every channel by itself
  int bins = 1024;                ///< parts of 0..1 or of the range for float data, 2 to 1048576

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<MatchDistribution>& d);
};

}  // namespace sieve
