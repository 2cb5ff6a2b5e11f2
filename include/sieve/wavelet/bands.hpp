#pragma once
/// The wavelet transform of a picture: its bands, and back.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/wavelet/wavelet.hpp"

namespace SIEVE_EXPORT sieve {

/// The details of one level. Each holds the color channels of the picture.
struct WaveletDetails {
  Image horizontal;  ///< low along x, high along y: answers to horizontal edges
  Image vertical;    ///< high along x, low along y: answers to vertical edges
  Image diagonal;    ///< high along both
};

/// A picture as wavelet coefficients.
struct WaveletBands {
  Wavelet wavelet = Wavelet::nine_seven;  ///< that it was transformed with
  bool undecimated = false;               ///< every band has the size of the picture
  Shape shape;                            ///< of the picture, color channels only
  int margin = 0;  ///< undecimated bands of an orthogonal wavelet reach so far beyond the picture on every side
  std::vector<WaveletDetails> levels;  ///< finest first
  Image approximation;                 ///< low along both, of the coarsest level
};

/// The transform over `levels` levels (1 to 16), each of the approximation before. Any size; a side of one sample stays
/// one. Decimated: the biorthogonal wavelets run by lifting and give as many coefficients as samples; the orthogonal
/// ones run as filter banks on the mirrored picture and give (n + taps - 1) / 2 a side and level, so that nothing is
/// lost at the border. Undecimated: every band has the picture's size (and the margin), shifting the picture shifts the
/// bands. Scaled so that orthogonal wavelets keep the deviation of white noise. Alpha is left out. O(samples * taps);
/// undecimated times levels. Sources: Mallat, "A Wavelet Tour of Signal Processing", chapter 7; Daubechies and
/// Sweldens, "Factoring wavelet transforms into lifting steps", 1998; undecimated: Nason and Silverman, "The stationary
/// wavelet transform", 1995.
[[nodiscard]] WaveletBands wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated = false);
/// The same into bands of an earlier call: pictures that fit are written again, not made anew.
void wavelet_forward(const ConstView& in, Wavelet wavelet, int levels, bool undecimated, WaveletBands& bands);

/// The picture back: of what wavelet_forward gave, to rounding. InvalidArgument where the bands do not fit each other.
[[nodiscard]] Image wavelet_inverse(const WaveletBands& bands);
/// The same into a buffer of the shape bands.shape.
void wavelet_inverse(const WaveletBands& bands, const View& out);

/// The deviation of white noise of deviation 1 in a band of that level (0 the finest): 1 for orthogonal wavelets.
/// `high_x`, `high_y`: whether the band is high along x and y.
[[nodiscard]] double wavelet_noise_gain(Wavelet wavelet, int level, bool high_x, bool high_y);

/// The energy of one band.
struct BandEnergy {
  std::string name;   ///< "1 horizontal", ..., "approximation 4"
  double energy = 0;  ///< sum of squares over all channels
  double share = 0;   ///< of the sum over all bands
};
/// The energies of all bands, the finest first, the approximation last. O(samples).
[[nodiscard]] std::vector<BandEnergy> band_energies(const WaveletBands& bands);

/// The usual nested picture of decimated bands: the approximation at the upper left, vertical details to its right,
/// horizontal ones below, diagonal ones across, level around level. Every band is scaled to be seen: the approximation
/// from its lowest to its highest value; details so that 0 is mid-gray and the magnitude that one in a hundred exceeds
/// reaches 0 or 1, where larger ones are cut off (`per_band`); or all as they are. InvalidArgument for undecimated
/// bands.
[[nodiscard]] Image nested_bands(const WaveletBands& bands, bool per_band = true);

}  // namespace sieve
