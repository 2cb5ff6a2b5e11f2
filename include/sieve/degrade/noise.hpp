#pragma once
/// Random damage. Every filter takes a seed; the noise at a pixel depends on seed, channel and position alone, so it
/// is the same on every machine and with any number of threads. Nothing is clipped: put `clip` behind it where the
/// camera would have. Alpha passes through. Cost O(samples).

#include <cstdint>

#include "sieve/core/describe.hpp"

namespace sieve {

/// Adds normal noise of mean 0: the read noise of a sensor.
struct GaussianNoise {
  float deviation = 0.1F;  ///< standard deviation on the 0..1 scale (25/255 is about 0.098), 0 or more
  std::uint64_t seed = 1;

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  int reach() const { return 0; }
  static void describe(Description<GaussianNoise>& d);
};

/// Adds noise that is uniform in -amplitude..amplitude (deviation amplitude / sqrt 3).
struct UniformNoise {
  float amplitude = 0.1F;  ///< half the width of the distribution, 0..1 scale
  std::uint64_t seed = 1;

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  int reach() const { return 0; }
  static void describe(Description<UniformNoise>& d);
};

/// Salt and pepper: a share of the samples becomes 0, another becomes 1, each channel by itself.
struct ImpulseNoise {
  float dark = 0.05F;    ///< share of samples that become 0, 0..1
  float bright = 0.05F;  ///< share of samples that become 1, 0..1; BadCall where both together pass 1
  std::uint64_t seed = 1;

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  int reach() const { return 0; }
  static void describe(Description<ImpulseNoise>& d);
};

/// Photon counting: each sample v becomes a Poisson number of mean v * photons, divided by photons (variance
/// v / photons). Samples below 0 count no photon. By inversion for means under 10, else by transformed rejection
/// (Hoermann, "The transformed rejection method for generating Poisson random variables", 1993).
struct PoissonNoise {
  float photons = 100;  ///< mean count at white
  std::uint64_t seed = 1;

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  int reach() const { return 0; }
  static void describe(Description<PoissonNoise>& d);
};

/// Multiplies by 1 + n, n normal of mean 0: the speckle of coherent light in its common model.
struct SpeckleNoise {
  float deviation = 0.2F;  ///< standard deviation of n
  std::uint64_t seed = 1;

  Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  int reach() const { return 0; }
  static void describe(Description<SpeckleNoise>& d);
};

}  // namespace sieve
