#pragma once
/// Point spread functions: what they do to each frequency, and whether that can be undone.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace SIEVE_EXPORT sieve {

/// The transfer function H(u, v) of a PSF for a picture of width x height pixels, H(0, 0) = 1: the PSF is scaled to sum
/// 1, its anchor is put at the origin, and what is larger than the picture wraps around. InvalidArgument for a PSF
/// whose sum is not above 0. O(pixels log pixels).
[[nodiscard]] DoubleSpectrum transfer_function(const Kernel& psf, int width, int height);

/// What division by a transfer function is called.
enum class PsfVerdict {
  safe,                  ///< noise grows at most tenfold
  needs_regularization,  ///< "needs regularization"
  information_lost,      ///< "information lost": some |H| is zero
};
template <>
struct ChoiceNames<PsfVerdict> {
  static std::span<const std::pair<const char*, PsfVerdict>> all();
};

/// What division by a transfer function would meet.
struct Invertibility {
  double smallest = 0;          ///< the smallest |H|
  double below_tenth = 0;       ///< share of the frequencies with |H| below 0.1
  double below_hundredth = 0;   ///< below 0.01
  double below_thousandth = 0;  ///< below 0.001
  double zero = 0;              ///< share with |H| below 1e-15, the rounding of a zero: what stood there is gone
  double noise_gain =
      0;  ///< by how much 1 / H raises the deviation of white noise: root of the mean of 1 / |H|^2 where H is not zero
  PsfVerdict verdict = PsfVerdict::safe;  ///< name_of() has it in words
  std::string reason;                     ///< one line with the figures
};

/// How far a PSF can be divided out of a picture of width x height pixels. Safe: noise grows at most tenfold;
/// information lost: some |H| is zero; between them the division needs regularization. InvalidArgument as
/// transfer_function. O(pixels log pixels).
[[nodiscard]] Invertibility invertibility(const Kernel& psf, int width, int height);

}  // namespace sieve
