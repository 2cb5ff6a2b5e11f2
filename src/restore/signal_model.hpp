#pragma once
// What a blurred picture tells of the picture behind it.

#include <array>
#include <complex>
#include <vector>

#include "restore/power_rings.hpp"

namespace sieve::internal {

// A blurred plane as a picture behind a PSF and white noise of a deviation above 0. The power of the picture, S, is
// measured over rings of frequencies where blur and noise leave enough of it; elsewhere it lies on the line of
// pictures.
class SignalModel {
 public:
  SignalModel(const ConstView& plane, const Transfer2d& transfer, double noise);

  // The deviation of the error that the best linear restoration leaves: of the mean of S N / (|H|^2 S + N).
  double expected_error() const;

  // By which share the size of the PSF seems to be wrong, 0 to 0.15: a PSF that is larger or smaller has its zeros
  // elsewhere, and lets through there more than the noise.
  double psf_error() const;
  // What a PSF wrong by that share adds to the noise: times its power at every frequency, as the grid has them; and the
  // deviation of all of it.
  std::vector<float> noise_with(double psf_error) const;
  double deviation_with(double psf_error) const;

 private:
  static constexpr std::size_t kRings = 64;
  // How the transfer function changes with the size of the PSF, by its share.
  std::complex<double> stretch(int u, int v) const;

  const Transfer2d& transfer_;
  Measured measured_;
  PowerRings<kRings> rings_;
  double pixels_, floor_;  // power of the noise
  std::array<double, kRings> signal_{};
};

}  // namespace sieve::internal
