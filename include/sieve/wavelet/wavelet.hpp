#pragma once
/// The wavelets, by their filter taps.

#include <span>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// A wavelet, named by its family and (Daubechies, symlet) its vanishing moments or (coiflet) half of them. All but the
/// last two are orthogonal; 5/3 and 9/7 are biorthogonal and symmetric, named by the taps of their analysis filters.
enum class Wavelet {
  haar,
  daubechies2,
  daubechies3,
  daubechies4,
  daubechies5,
  daubechies6,
  daubechies7,
  daubechies8,
  daubechies9,
  daubechies10,
  symlet4,
  symlet5,
  symlet6,
  symlet7,
  symlet8,
  symlet9,
  symlet10,
  coiflet1,
  coiflet2,
  coiflet3,
  coiflet4,
  coiflet5,
  five_three,
  nine_seven,
};
template <>
struct ChoiceNames<Wavelet> {
  static std::span<const std::pair<const char*, Wavelet>> all();
};

/// The four filters of a wavelet, each scaled so that the low ones sum to the square root of 2. With x the signal:
/// analysis  low[k] = sum over t of low[t] x[2k + t - low_at], high[k] likewise;
/// synthesis x[2k + t - low_back_at] += low_back[t] low[k], and high likewise.
struct WaveletTaps {
  std::vector<double> low, high, low_back, high_back;              ///< the taps
  int low_at = 0, high_at = 0, low_back_at = 0, high_back_at = 0;  ///< the place of each filter that lies on sample 2k
  bool symmetric =
      false;  ///< the biorthogonal ones: as many coefficients as samples, beyond the border the reflection; else
              ///< (n + taps - 1) / 2 coefficients a band, beyond the border the mirrored signal
};

/// The taps of a wavelet. Sources: Daubechies, "Ten Lectures on Wavelets", 1992, sections 6.4 (by spectral
/// factorization of the half-band polynomial), 8.1.1 (least asymmetric) and 8.2 (coiflets); Cohen, Daubechies and
/// Feauveau, 1992 (5/3, 9/7).
[[nodiscard]] const WaveletTaps& taps_of(Wavelet wavelet);

}  // namespace sieve
