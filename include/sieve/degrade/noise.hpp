#pragma once
/// Random damage. Every filter takes a seed; the noise at a pixel depends on seed, channel and position alone, so it
/// is the same on every machine and with any number of threads. Nothing is clipped: put `clip` behind it where the
/// camera would have. Alpha passes through. Cost O(samples). The call into a buffer may get the picture itself as that
/// buffer.

#include <cstdint>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Adds normal noise of mean 0: the read noise of a sensor, or with `sigma` the grain of film and of pictures that a
/// camera or a JPEG has smoothed, which is alike in neighbors. Such grain is white noise behind a Gaussian of 4 sigma
/// to each side, made as strong as `deviation` says; O(samples * sigma).
struct GaussianNoise {
  Real deviation = 0.1F;  ///< standard deviation on the 0..1 scale (25/255 is about 0.098), 0 or more
  Real sigma = 0;         ///< of the grain in pixels, 0 to 20; 0: white noise
  Seed seed = 1;          ///< of the random stream

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<GaussianNoise>& d);
};

/// Adds noise that is uniform in -amplitude..amplitude (deviation amplitude / sqrt 3).
struct UniformNoise {
  Real amplitude = 0.1F;  ///< half the width of the distribution, 0..1 scale
  Seed seed = 1;          ///< of the random stream

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<UniformNoise>& d);
};

/// Salt and pepper: a share of the samples becomes 0, another becomes 1, each channel by itself.
struct ImpulseNoise {
  Real dark = 0.05F;    ///< share of samples that become 0, 0..1
  Real bright = 0.05F;  ///< share of samples that become 1, 0..1; InvalidArgument where both together pass 1
  Seed seed = 1;        ///< of the random stream

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<ImpulseNoise>& d);
};

/// Photon counting: each sample v becomes a Poisson number of mean v * photons, divided by photons (variance
/// v / photons). Samples below 0 count no photon. By inversion for means under 10, else by transformed rejection
/// (Hoermann, "The transformed rejection method for generating Poisson random variables", 1993).
struct PoissonNoise {
  Real photons = 100;  ///< mean count at white
  Seed seed = 1;       ///< of the random stream

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<PoissonNoise>& d);
};

/// Multiplies by 1 + n, n normal of mean 0: the speckle of coherent light in its common model.
struct SpeckleNoise {
  Real deviation = 0.2F;  ///< standard deviation of n
  Seed seed = 1;          ///< of the random stream

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<SpeckleNoise>& d);
};

}  // namespace sieve
