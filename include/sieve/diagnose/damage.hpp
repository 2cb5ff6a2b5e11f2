#pragma once
/// The noise and blur of a picture, measured, and chains against them.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/diagnose/advice.hpp"
#include "sieve/quality/estimate.hpp"
#include "sieve/spectral/peaks.hpp"

namespace SIEVE_EXPORT sieve {

/// What disturbs a picture.
struct Damage {
  double noise = 0;                 ///< deviation of the grain, noise_level
  bool grain = false;               ///< the grain is worth a denoiser: a deviation of 0.008 and more
  bool coarse = false;              ///< what stands in flat parts is alike in neighbors, with that deviation and more:
                                    ///< white noise, and its level, are then another matter
  double coarse_noise = 0;          ///< then: its deviation
  bool photon = false;              ///< the grain grows with the level as photon noise does
  double photons = 0;               ///< then: how many photons white stands for
  double floor_noise = 0;           ///< deviation of the grain at black, by the same fit
  ImpulseShare impulses;            ///< of the luma
  bool impulse = false;             ///< 0.5 % of the pixels and more stand out alone
  std::vector<PeriodicWave> waves;  ///< periodic interference
  double blur = 0;      ///< sigma of the Gaussian that blurs the steepest edges as much, pixels; 0 where there are none
  bool shaken = false;  ///< the cepstrum shows a straight motion, with a confidence of 0.7 and more
  double motion_length = 0;  ///< then: its length in pixels
  double motion_angle = 0;   ///< and its angle in degrees
  bool blurred = false;      ///< the edges are wider than a sharp picture's: sigma 1.2 and more

  /// The kinds of noise in words: "none", "gaussian", "coarse", "photon", "impulse", "periodic", or several with "and"
  /// between.
  std::string words() const;
};

/// Measures it. The level of the grain in classes of equal brightness decides between photon noise (variance rises in
/// step with the level, at least twofold over the picture's range) and the same everywhere. The blur comes from how
/// much a further Gaussian of sigma 1 lowers the gradient at the steepest edges (Zhuo and Sim, "Defocus map estimation
/// from a single image", 2011), after a median where impulses stand and a smoothing where there is grain; a motion from
/// the cepstrum (psf_from_motion). O(pixels log pixels).
[[nodiscard]] Damage measure_damage(const ConstView& in);

/// A few chains against the damage, the best first, with parameters from the measures and the reason of each, where a
/// faster one is offered with what it costs; one that leaves the picture as it is where nothing disturbs it.
[[nodiscard]] std::vector<Advice> propose(const Damage& damage);

}  // namespace sieve
