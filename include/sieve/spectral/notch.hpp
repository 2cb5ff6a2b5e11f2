#pragma once
/// Filters for single frequencies, and for transfer functions of one's own.

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"
#include "sieve/spectral/frequency.hpp"

namespace SIEVE_EXPORT sieve {

/// Points of the spectrum, as text "fx,fy/fx,fy/...": cycles per pixel.
struct FrequencyPoints {
  std::vector<std::pair<double, double>> points;
};
template <>
struct TextValue<FrequencyPoints> {
  static std::string text(const FrequencyPoints& p);
  static FrequencyPoints parse(std::string_view s, const Resources&);
  static const char* allowed();
};

/// Notch: takes out (or, with `pass`, keeps alone) the surroundings of the points and of their mirror points: the
/// product of high-pass filters of cutoff `width` around each. A wave of the picture that is mirrored at the border has
/// mirror images in the spectrum as well; with border=mirror these stay near the border: for waves across the
/// whole picture take remove_periodic_noise. Source: Gonzalez and Woods, Digital Image Processing, section 4.10.
struct Notch {
  FrequencyPoints points = {{{0.125, 0}}};  ///< cycles per pixel
  Real width = 0.01F;                       ///< radius in cycles per pixel, 0.0005 to 0.5
  PassForm form = PassForm::gaussian;       ///< how the gain goes from 1 to 0
  int order = 2;                            ///< of butterworth, 1 to 20
  bool pass = false;                        ///< keeps the points alone
  Border border = Border::mirror;           ///< how the picture goes on beyond its border

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Notch>& d);
};

/// A transfer function as a picture: its middle is the zero frequency, its sides are 0.5 cycles per pixel away,
/// whatever its size; between its samples it is interpolated linearly. A gray picture serves all channels. Made even,
/// so that the result is real: the mean of each point and its mirror point is taken.
struct Transfer {
  SharedImage with = {};           ///< the gray picture of the gains
  Border border = Border::mirror;  ///< how the picture goes on beyond its border

  /// What the amplitude of a frequency (cycles per pixel) is multiplied with.
  double gain(double fx, double fy) const;
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Transfer>& d);
};

/// Finds the waves of periodic interference (find_periodic_noise) and takes just them out: each is brought to frequency
/// 0, blurred with a Gaussian, so that its strength may change slowly over the picture, brought back and subtracted. In
/// the spectrum that is a Gaussian notch at the wave's own frequency, on and between the grid; nothing is assumed
/// beyond the border. Each color channel by itself, the waves from the luma. Where none is found the picture stays as
/// it is. O(pixels * waves).
struct RemovePeriodicNoise {
  int most = 8;  ///< waves at most, 1 to 64
  /// sigma in pixels of how slowly a wave's strength changes, 2 to 500; auto: a quarter of the smaller side
  std::optional<float> blur = {};

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<RemovePeriodicNoise>& d);
};

}  // namespace sieve
