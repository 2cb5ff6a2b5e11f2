#pragma once
// Every level at which a measure becomes a finding, and what the chains that follow are given.

#include <cstdint>

namespace sieve::internal::thresholds {

// With fewer levels than this every step between two of them stands out: nothing is said of impulses.
inline constexpr std::uint32_t kFewestLevels = 31;
// Share of the pixels that stand out alone.
inline constexpr double kImpulses = 0.005;

// Deviation of grain that is worth a denoiser, and that a stretch or a curve would raise visibly.
inline constexpr double kGrain = 0.008, kGrainRaised = 0.02;
// Smaller pictures have too few flat parts to tell grain that is alike in neighbors.
inline constexpr int kCoarseSide = 64;
// Photon noise: the classes of brightness span this much, and the variance of the grain rises this many times over
// them.
inline constexpr double kPhotonSpan = 0.2, kPhotonRise = 2;

// Sigma in pixels of the blur of the steepest edges: from a blur that is visible to one beyond which there are no
// edges.
inline constexpr double kBlurred = 1.2, kNoEdges = 20;
// Confidence of a motion in the cepstrum, and the smallest picture in which it is looked for.
inline constexpr double kMotion = 0.7;
inline constexpr int kMotionSide = 64;
// An estimated PSF is a little wrong, which is worth more noise than there is: at least this, and this many times.
inline constexpr double kPsfNoise = 0.005, kPsfNoiseTimes = 2;

// Uneven light: how far a smooth surface ranges over its mean, what share of the large-scale luma it explains, and
// between which slopes from block to block.
inline constexpr double kLightRange = 0.4, kLightShare = 0.5, kLightSlopeLow = 0.7, kLightSlopeHigh = 1.6;

}  // namespace sieve::internal::thresholds
