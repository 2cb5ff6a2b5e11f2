#pragma once
/// Denoising by shrinking wavelet coefficients.

#include <optional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/wavelet/wavelet.hpp"

namespace SIEVE_EXPORT sieve {

/// How the threshold T of a band follows from the deviation s of the noise in it.
enum class ThresholdRule {
  universal,  ///< s sqrt(2 ln n) for n coefficients: leaves no noise, and takes the finest detail along
  sure,       ///< the T of the least risk as Stein estimates it; universal in bands that hold next to nothing
  bayes,      ///< s^2 / sqrt(max(0, variance of the band - s^2)): the best for a band of Laplacian detail
};
template <>
struct ChoiceNames<ThresholdRule> {
  static std::span<const std::pair<const char*, ThresholdRule>> all();
};

/// What becomes of a coefficient.
enum class Shrinkage {
  soft,  ///< sign(c) max(0, |c| - T)
  hard,  ///< c where |c| > T, else 0
};
template <>
struct ChoiceNames<Shrinkage> {
  static std::span<const std::pair<const char*, Shrinkage>> all();
};

/// Wavelet shrinkage: transform, shrink every detail coefficient by its band's threshold, transform back. Each color
/// channel by itself. Undecimated: no dependence on where the grid falls, and fewer ripples at edges. Decimated,
/// `shifts` averages the results of shifts x shifts shifted pictures (cycle spinning). Samples that are not finite
/// count as 0 and stay. Sources: Donoho and Johnstone, "Ideal spatial adaptation by wavelet shrinkage", 1994, and
/// "Adapting to unknown smoothness via wavelet shrinkage", 1995 (SURE); Chang, Yu and Vetterli, "Adaptive wavelet
/// thresholding for image denoising and compression", 2000 (Bayes); Coifman and Donoho, "Translation-invariant
/// de-noising", 1995. O(samples * taps), undecimated times levels; `sure` sorts every band. Memory: undecimated 3
/// levels + 4 channels.
struct WaveletShrink {
  Wavelet wavelet = Wavelet::daubechies2;    ///< short ones ring less, long ones follow smooth parts better
  int levels = 5;                            ///< 1 to 12
  ThresholdRule rule = ThresholdRule::sure;  ///< of every band's threshold
  Shrinkage shrink = Shrinkage::soft;        ///< soft or hard
  bool undecimated = true;                   ///< no dependence on where the grid falls
  int shifts = 1;                            ///< 1 to 16, decimated only: averages shifts x shifts runs
  Real strength = 1;                         ///< times every threshold, 0 to 10
  std::optional<float> noise = {};           ///< standard deviation of the noise, 0 to 1; auto: estimated

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<WaveletShrink>& d);
};

}  // namespace sieve
