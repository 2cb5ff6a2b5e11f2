#pragma once
/// Exposure: judged by figures, corrected by what the figures call for; the balance of colors.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// What the exposure of a picture is called.
enum class ExposureVerdict {
  balanced,      ///< nothing of what follows
  too_dark,      ///< "too dark"
  too_bright,    ///< "too bright"
  low_contrast,  ///< "low contrast"
  harsh,         ///< "dark and bright at once"
  unreadable,    ///< no sample is finite
};
template <>
struct ChoiceNames<ExposureVerdict> {
  static std::span<const std::pair<const char*, ExposureVerdict>> all();
};

/// The exposure of a picture, and what would correct it: one judgement for both. Nothing, where it is balanced.
struct Exposure {
  ExposureVerdict verdict = ExposureVerdict::balanced;  ///< name_of() has it in words
  std::string reason;                                   ///< one line with the figures
  double median = 0;                                    ///< of the luma
  double low = 0;                                       ///< least 0.5th percentile of the color channels
  double high = 0;                                      ///< greatest 99.5th percentile of the color channels
  bool stretch = false;                                 ///< from..to becomes 0..1 first
  double from = 0;
  double to = 1;
  double gamma = 1;    ///< exponent then applied, 1 for none
  bool local = false;  ///< local equalization instead of a gamma

  /// True where something is to be corrected.
  [[nodiscard]] bool corrects() const { return stretch || local || gamma != 1; }
};

/// Judges what no scene explains, since a dark or pale picture may be meant so. Low contrast: all channels end more
/// than 0.17 from black and from white. Too dark: even the 99.95th percentiles lie below 0.6. Too bright: the darkest
/// ends above 0.4. A stretch then brings the ends to 0.06 and 0.94 (an end that lies closer to black or white stays),
/// where those of most pictures lie. After that, two fifths or more of the pixels are under 0.15 and a fifth or more
/// over 0.8: no single curve helps both, so local equalization. Else the median of the luma is under 0.16 with less
/// than a fiftieth of the pixels over 0.8: too dark, and a gamma of 0.3 or more brings it to 0.4. Percentiles from
/// histograms of 4096 bins. O(pixels).
[[nodiscard]] Exposure exposure(const ConstView& in);

/// Corrects the exposure as exposure() says, and tells why in a note. Local equalization is Clahe with limit 2.
struct AutoExposure {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<AutoExposure>& d);
};

/// How the color of the light is guessed.
enum class BalanceBy {
  gray_world,   ///< the mean of the scene is gray
  white_patch,  ///< the brightest of the scene is white
};
template <>
struct ChoiceNames<BalanceBy> {
  static std::span<const std::pair<const char*, BalanceBy>> all();
};

/// White balance: a factor for each channel, in linear light, that makes mean (gray_world) or upper percentile
/// (white_patch) of the channels equal, at the luma they had; held to 1/8..8. Pixels with a channel at 0.02 or below or
/// at 0.98 or above do not vote: what is clipped has lost its color. Gray pictures stay. Sources: Buchsbaum, "A spatial
/// processor model for object colour perception", 1980; Land and McCann, 1971. O(pixels).
struct WhiteBalance {
  BalanceBy by = BalanceBy::gray_world;
  Real percent = 1;  ///< share of the brightest samples left out with white_patch, percent, 0 to 50

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<WhiteBalance>& d);
};

}  // namespace sieve
