#pragma once
/// The Fourier spectrum of a picture.

#include <complex>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Where a picture of a spectrum has its zero frequency: at the upper left, or in the middle, at (width / 2, height /
/// 2).
enum class SpectrumOrigin { corner, center };

/// What is done against the cross that unlike opposite borders cause in a spectrum.
enum class Taper {
  none,      ///< nothing
  hann,      ///< a raised cosine over the whole side, on the picture less its mean
  tukey,     ///< a raised cosine over the outer eighths
  periodic,  ///< the periodic part of the picture, without the smooth part that makes up for the jump at the border
};
template <>
struct ChoiceNames<Taper> {
  static std::span<const std::pair<const char*, Taper>> all();
};

/// The Fourier transform of a real picture of any size, divided by the number of pixels: F(u, v) = 1 / (w h) sum over
/// x, y of f(x, y) exp(-2 pi i (u x / w + v y / h)). So F(0, 0) is the mean, a cosine of amplitude a gives two
/// coefficients of size a / 2, and the sum of |F|^2 is the mean of f^2. Half of it is stored, the rest follows from
/// F(-u, -v) = conj F(u, v).
template <class T>
class SpectrumOf {
 public:
  /// All zero. InvalidArgument where a side is below 1.
  SpectrumOf(int width, int height);
  int width() const { return width_; }    ///< of the picture, pixels
  int height() const { return height_; }  ///< of the picture, pixels
  /// The coefficient at u periods over the width and v over the height: any whole numbers, negative too.
  std::complex<T> at(int u, int v) const;
  /// Sets it, and its mirror. The imaginary part is dropped where a real picture allows none.
  void set(int u, int v, std::complex<T> value);
  /// The stored columns 0..columns()-1 (u = 0..w/2) of row v = 0..height-1.
  std::complex<T>* row(int v) {
    return values_.data() + static_cast<std::size_t>(v) * static_cast<std::size_t>(columns());
  }
  /// The same, read-only.
  const std::complex<T>* row(int v) const {
    return values_.data() + static_cast<std::size_t>(v) * static_cast<std::size_t>(columns());
  }
  /// How many columns are stored: width / 2 + 1.
  int columns() const { return width_ / 2 + 1; }

 private:
  int width_, height_;
  std::vector<std::complex<T>> values_;
};
/// In single precision.
using Spectrum = SpectrumOf<float>;
/// In double precision.
using DoubleSpectrum = SpectrumOf<double>;

/// The spectrum of the gray channel, or of the luma of a color picture. Not finite samples are refused
/// (InvalidArgument): one would be everywhere. O(pixels log pixels) for any size, primes too.
[[nodiscard]] Spectrum spectrum(const ConstView& in, Taper taper = Taper::none);
/// The same reckoned in double.
[[nodiscard]] DoubleSpectrum double_spectrum(const ConstView& in, Taper taper = Taper::none);
/// The gray picture of a spectrum.
[[nodiscard]] Image picture_of(const Spectrum& s);
/// The same, reckoned in double.
[[nodiscard]] Image picture_of(const DoubleSpectrum& s);

/// What a picture of a spectrum shows.
enum class SpectrumShown {
  magnitude,  ///< |F|
  phase,      ///< radians, -pi..pi
  power,      ///< |F|^2
  logarithm,  ///< log(1 + n |F|) over its largest, n the number of pixels: 0..1, the largest 1
};
/// A gray picture of a spectrum, of the size of the picture it came from. O(pixels).
[[nodiscard]] Image spectrum_image(const Spectrum& s, SpectrumShown shown = SpectrumShown::logarithm,
                                   SpectrumOrigin origin = SpectrumOrigin::center);

/// What stands at one point of a picture of a spectrum.
struct FrequencyPoint {
  int u = 0, v = 0;       ///< periods over width and height, the nearest to 0
  double fx = 0, fy = 0;  ///< cycles per pixel, -0.5..0.5
  double frequency = 0;   ///< sqrt(fx^2 + fy^2)
  double period = 0;      ///< pixels from crest to crest; infinite at the zero frequency
  double angle = 0;  ///< degrees, 0..180: the direction across the stripes, 0 for upright stripes, 90 for lying ones
  std::complex<double> value;  ///< F(u, v)
  double amplitude = 0;        ///< of the wave in the picture: 2 |F|, |F| where it is its own mirror
  std::size_t rank = 1;        ///< 1 for the largest |F|; a point and its mirror count once
};
/// The point (x, y), pixels in the picture of the spectrum. InvalidArgument outside of it. O(pixels).
[[nodiscard]] FrequencyPoint probe(const Spectrum& s, int x, int y, SpectrumOrigin origin = SpectrumOrigin::center);

/// The largest coefficients but the mean, largest first, of each point and its mirror one; with those on the axes,
/// where most of a picture's energy lies. At most `most`. O(pixels).
[[nodiscard]] std::vector<FrequencyPoint> strongest(const Spectrum& s, int most);

/// The largest coefficients that are higher than their neighbors and off the axes (u and v at least 2 from 0), largest
/// first, of each point and its mirror one; at most `most`. O(pixels).
[[nodiscard]] std::vector<FrequencyPoint> strongest_off_axes(const Spectrum& s, int most);

/// Mean of |F|^2 over rings of a width of `step` cycles per pixel (above 0, InvalidArgument otherwise); entry i is for
/// frequencies from i * step on, up to 0.5. O(pixels).
[[nodiscard]] std::vector<double> radial_power(const Spectrum& s, double step);

/// The picture without the smooth part that makes opposite borders alike. Each color channel by itself. Source: Moisan,
/// "Periodic plus smooth image decomposition", Journal of Mathematical Imaging and Vision 39, 2011. O(pixels log
/// pixels).
[[nodiscard]] Image periodic_part(const ConstView& in);

}  // namespace sieve
