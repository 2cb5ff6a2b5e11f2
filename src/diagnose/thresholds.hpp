#pragma once
// Every level at which a measure becomes a finding, and what the chains that follow are given. Chosen over fifteen
// photographs as they are and with every trouble at three strengths (bench/diagnosis).

#include <cmath>
#include <cstdint>

namespace sieve::internal::thresholds {

// A measure that is above 0, as a confidence: one half in the middle, and nearly sure or nearly none where it is a few
// widths away, by its logarithm.
struct Rise {
  double middle, width;
  double confidence(double measure) const {
    return measure > 0 ? 1 / (1 + std::exp(-std::log(measure / middle) / width)) : 0;
  }
};

// Findings of less confidence are not told, and what is less sure is not mended.
inline constexpr double kTold = 0.3, kMended = 0.5;

// With fewer levels than this every step between two of them stands out: nothing is said of impulses.
inline constexpr std::uint32_t kFewestLevels = 31;
// Share of the pixels that stand out alone.
inline constexpr Rise kImpulses{0.004, 0.2};
// Waves and lines are sought by tests of their own, which photographs pass.
inline constexpr double kSureWaves = 0.95, kSureLines = 0.97;

// Deviation of grain. Good photographs have up to 0.015.
inline constexpr Rise kGrain{0.0165, 0.08};
// Smaller pictures have too few flat parts to tell grain that is alike in neighbors.
inline constexpr int kCoarseSide = 64;
// Photon noise: the classes of brightness span this much, and the variance of the grain rises this many times over
// them.
inline constexpr double kPhotonSpan = 0.2, kPhotonRise = 2;
// Grain is more than the rounding to few levels where it is so many times as large.
inline constexpr double kOverRounding = 8;
// Grain that a stretch or a curve would raise visibly.
inline constexpr double kGrainRaised = 0.02;

// The smallest picture in which a blur is sought, and how many times the edges of a restored part may grow.
inline constexpr int kBlurSide = 64;
inline constexpr double kGrowth = 2.5;
// Single pixels that were mended, or a wave that was taken out, change a spectrum: a blur is less sure then. So do
// levels that are missing and much that was clipped.
inline constexpr double kAfterPixels = 0.6, kAfterWaves = 0.45, kAfterRounding = 0.3, kMuchClipped = 0.9;
// An estimated PSF is a little wrong, which is worth more noise than there is: at least this.
inline constexpr double kPsfNoise = 0.005;
// Taken for a Gaussian, a disk leaves rings; the other way there is little harm: so sure a disk may come second.
inline constexpr double kDiskSecond = 0.1;

// Steps at the borders of blocks: over the mean step, and in 0..1; and from which on they are worth a filter.
inline constexpr Rise kBlocks{0.02, 0.3}, kBlockSteps{0.15 / 255, 0.2};
inline constexpr double kBlockStep = 0.4 / 255;

inline constexpr Rise kHalos{0.14, 0.2};
inline constexpr Rise kTint{0.3, 0.4};
inline constexpr Rise kClipped{0.15, 0.4};

// Uneven light: how far a smooth surface ranges over its mean, what share of the large-scale luma it explains, and how
// far that is from it: a page or a wall is met by 0.03, a scene by 0.09 or more. A sky may be, too, but nothing stands
// on it: that share of the blocks must have something dark.
inline constexpr double kLightRange = 0.3, kLightShare = 0.93, kLightRest = 0.05, kLightPrinted = 0.2;

}  // namespace sieve::internal::thresholds
