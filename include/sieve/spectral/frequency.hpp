#pragma once
/// Filters in the frequency domain.

#include <functional>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How a filter's gain goes from 1 to 0, with d the frequency and c the cutoff.
enum class PassForm {
  ideal,        ///< 1 up to c, 0 beyond: rings at every edge
  butterworth,  ///< 1 / (1 + (d / c)^(2 order)): one half at c
  gaussian,     ///< exp(-d^2 / (2 c^2)): 0.61 at c, no ringing
};
template <>
struct ChoiceNames<PassForm> {
  static std::span<const std::pair<const char*, PassForm>> all();
};

/// Any transfer function: gain(fx, fy) with fx, fy in cycles per pixel, -0.5..0.5, is asked once for every coefficient,
/// from many threads at once; it must be the same for (fx, fy) and (-fx, -fy), as a real picture needs. Every color
/// channel; samples that are not finite count as 0 and stay. `border` is mirror, zero or wrap, see below
/// (InvalidArgument otherwise). O(pixels log pixels); mirror and zero work on four times the pixels.
[[nodiscard]] Image filter_frequencies(const ConstView& in, const std::function<double(double fx, double fy)>& gain,
                                       Border border = Border::mirror);

// The filters below share some fields. `form` says how the gain goes from 1 to 0, `order` is that of butterworth, 1 to
// 20. A transform repeats the picture by itself, so that a filter smears opposite borders into each other; `border`
// says what stands between them: mirror images (Border::mirror, the default and not the edge repeated, since mirror
// images alone leave no jump), zero up to twice the size (Border::zero, a dark frame), or nothing (Border::wrap, the
// circular model of textbooks). gain(fx, fy) is the transfer function at a frequency in cycles per pixel. Their stages
// are the spectrum before, the transfer function, the spectrum after, and the signed change. Source: Gonzalez and
// Woods, Digital Image Processing, chapter 4. Mirrored, they run by the cosine transform, without padding. O(pixels log
// pixels).

/// Low-pass: keeps what is slower than `cutoff`.
struct LowPass {
  Real cutoff = 0.1F;                  ///< cycles per pixel, 0.0005 to 1
  PassForm form = PassForm::gaussian;  ///< the shape of the step
  int order = 2;                       ///< of Butterworth: how steep
  Border border = Border::mirror;      ///< mirror, wrap or zero

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<LowPass>& d);
};

/// High-pass: one minus the low-pass. The mean goes too: the result is signed, around 0.
struct HighPass {
  Real cutoff = 0.02F;                 ///< cycles per pixel, 0.0005 to 1
  PassForm form = PassForm::gaussian;  ///< the shape of the step
  int order = 2;                       ///< of Butterworth: how steep
  Border border = Border::mirror;      ///< mirror, wrap or zero

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<HighPass>& d);
};

/// Band-stop: takes out the frequencies from `low` to `high`. With c the middle and w the width of the band: ideal 0
/// within; butterworth 1 / (1 + (d w / (d^2 - c^2))^(2 order)); gaussian 1 - exp(-((d^2 - c^2) / (d w))^2).
struct BandStop {
  Real low = 0.05F;                    ///< cycles per pixel, 0 to 1
  Real high = 0.1F;                    ///< cycles per pixel, above low
  PassForm form = PassForm::gaussian;  ///< the shape of the step
  int order = 2;                       ///< of Butterworth: how steep
  Border border = Border::mirror;      ///< mirror, wrap or zero

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<BandStop>& d);
};

/// Band-pass: one minus the band-stop.
struct BandPass {
  Real low = 0.05F;                    ///< cycles per pixel, 0 to 1
  Real high = 0.1F;                    ///< cycles per pixel, above low
  PassForm form = PassForm::gaussian;  ///< the shape of the step
  int order = 2;                       ///< of Butterworth: how steep
  Border border = Border::mirror;      ///< mirror, wrap or zero

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<BandPass>& d);
};

/// High-frequency emphasis: keep + boost * high-pass. The mean is kept with keep=1.
struct HighEmphasis {
  Real cutoff = 0.05F;                 ///< cycles per pixel, 0.0005 to 1
  Real keep = 1;                       ///< gain of the slow part, 0 to 10
  Real boost = 1;                      ///< what is added to it for the fast part, -10 to 10
  PassForm form = PassForm::gaussian;  ///< the shape of the step
  int order = 2;                       ///< of Butterworth: how steep
  Border border = Border::mirror;      ///< mirror, wrap or zero

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<HighEmphasis>& d);
};

}  // namespace sieve
