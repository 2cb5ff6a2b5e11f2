#pragma once
/// Filters in the frequency domain.

#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "sieve/core/describe.hpp"
#include "sieve/core/picture.hpp"
#include "sieve/core/stage.hpp"

namespace sieve {

/// How the picture goes on beyond its border, which a transform always asks. By itself it repeats, so that the left
/// border meets the right one: a filter then smears each into the other (wrap-around). Mirroring leaves no jump.
enum class Padding {
  mirror,  ///< mirror images without end, the edge sample repeated: the default
  zero,    ///< 0 up to twice the size: a dark frame, but no wrap-around
  wrap,    ///< the picture repeats: the plain circular model of textbooks
};
template <>
struct ChoiceNames<Padding> {
  static std::span<const std::pair<const char*, Padding>> all();
};

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
/// channel; samples that are not finite count as 0 and stay. O(pixels log pixels); mirror and zero work on four times
/// the pixels.
Image filter_frequencies(const ConstView& in, const std::function<double(double fx, double fy)>& gain,
                         Padding padding = Padding::mirror);

/// Low-pass: keeps what is slower than `cutoff`. Source of this and the next filters: Gonzalez and Woods, Digital Image
/// Processing, chapter 4. Mirrored, all of them run by the cosine transform: no padding is needed. O(pixels log
/// pixels).
struct LowPass {
  float cutoff = 0.1F;                 ///< cycles per pixel, 0.0005 to 1
  PassForm form = PassForm::gaussian;  ///< how the gain goes from 1 to 0
  int order = 2;                       ///< of butterworth, 1 to 20
  Padding padding = Padding::mirror;   ///< how the picture goes on beyond its border

  /// The transfer function at a frequency in cycles per pixel.
  double gain(double fx, double fy) const;
  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  /// Spectrum before, transfer function, spectrum after, and the signed change.
  std::vector<Stage> stages(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<LowPass>& d);
};

/// High-pass: one minus the low-pass. The mean goes too: the result is signed, around 0.
struct HighPass {
  float cutoff = 0.02F;                ///< cycles per pixel, 0.0005 to 1
  PassForm form = PassForm::gaussian;  ///< how the gain goes from 1 to 0
  int order = 2;                       ///< of butterworth, 1 to 20
  Padding padding = Padding::mirror;   ///< how the picture goes on beyond its border

  /// The transfer function at a frequency in cycles per pixel.
  double gain(double fx, double fy) const;
  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  /// Spectrum before, transfer function, spectrum after, and the signed change.
  std::vector<Stage> stages(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<HighPass>& d);
};

/// Band-stop: takes out the frequencies from `low` to `high`. With c the middle and w the width of the band: ideal 0
/// within; butterworth 1 / (1 + (d w / (d^2 - c^2))^(2 order)); gaussian 1 - exp(-((d^2 - c^2) / (d w))^2).
struct BandStop {
  float low = 0.05F;                   ///< cycles per pixel, 0 to 1
  float high = 0.1F;                   ///< cycles per pixel, above low
  PassForm form = PassForm::gaussian;  ///< how the gain goes from 1 to 0
  int order = 2;                       ///< of butterworth, 1 to 20
  Padding padding = Padding::mirror;   ///< how the picture goes on beyond its border

  /// The transfer function at a frequency in cycles per pixel.
  double gain(double fx, double fy) const;
  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  /// Spectrum before, transfer function, spectrum after, and the signed change.
  std::vector<Stage> stages(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<BandStop>& d);
};

/// Band-pass: one minus the band-stop.
struct BandPass {
  float low = 0.05F;                   ///< cycles per pixel, 0 to 1
  float high = 0.1F;                   ///< cycles per pixel, above low
  PassForm form = PassForm::gaussian;  ///< how the gain goes from 1 to 0
  int order = 2;                       ///< of butterworth, 1 to 20
  Padding padding = Padding::mirror;   ///< how the picture goes on beyond its border

  /// The transfer function at a frequency in cycles per pixel.
  double gain(double fx, double fy) const;
  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  /// Spectrum before, transfer function, spectrum after, and the signed change.
  std::vector<Stage> stages(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<BandPass>& d);
};

/// High-frequency emphasis: keep + boost * high-pass. The mean is kept with keep=1.
struct HighEmphasis {
  float cutoff = 0.05F;                ///< cycles per pixel, 0.0005 to 1
  float keep = 1;                      ///< gain of the slow part, 0 to 10
  float boost = 1;                     ///< what is added to it for the fast part, -10 to 10
  PassForm form = PassForm::gaussian;  ///< how the gain goes from 1 to 0
  int order = 2;                       ///< of butterworth, 1 to 20
  Padding padding = Padding::mirror;   ///< how the picture goes on beyond its border

  /// The transfer function at a frequency in cycles per pixel.
  double gain(double fx, double fy) const;
  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  Image plain(const ConstView& in) const;
  /// Spectrum before, transfer function, spectrum after, and the signed change.
  std::vector<Stage> stages(const ConstView& in) const;
  std::optional<int> reach() const { return std::nullopt; }
  std::string meaning() const;
  static void describe(Description<HighEmphasis>& d);
};

}  // namespace sieve
