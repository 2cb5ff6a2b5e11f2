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
  unreadable,    ///< no sample is finite
};
template <>
struct ChoiceNames<ExposureVerdict> {
  static std::span<const std::pair<const char*, ExposureVerdict>> all();
};

/// What the exposure of a picture looks like, and why.
struct Exposure {
  ExposureVerdict verdict = ExposureVerdict::balanced;  ///< name_of() has it in words
  std::string reason;                                   ///< one line with the figures
  double median = 0;                                    ///< of the luma
  double low = 0;                                       ///< 1st percentile of the luma
  double high = 0;                                      ///< 99th percentile of the luma
};

/// Judges by the luma (BT.709): too dark where the median is under 0.15 or half of the samples or more lie at the
/// floor; too bright where it is over 0.85 or a tenth or more lies at the ceiling; low contrast where the middle
/// 98 % span less than 0.4; else balanced. Percentiles are exact. O(pixels).
[[nodiscard]] Exposure exposure(const ConstView& in);

/// What an automatic correction would do to a picture, and why.
struct ExposurePlan {
  bool stretch = false;  ///< low..high to 0..1 first
  double low = 0;
  double high = 1;
  double gamma = 1;    ///< exponent then applied, 1 for none
  bool local = false;  ///< local equalization instead of a gamma
  std::string reason;  ///< one line with the figures
};

/// Decides by the luma. Its 0.5th to 99.5th percentile spans less than 0.7: stretch that to 0..1. After that, a quarter
/// or more of the pixels is under 0.15 and a seventh or more over 0.8: no single curve helps both, so local
/// equalization. Else the median lies outside 0.3..0.65: the gamma that brings it to 0.45, held to 0.3..3. Else
/// nothing. From a histogram of 4096 bins. O(pixels).
[[nodiscard]] ExposurePlan plan_exposure(const ConstView& in);

/// Corrects the exposure as plan_exposure says, and tells why in a note. Local equalization is Clahe with limit 2.
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
