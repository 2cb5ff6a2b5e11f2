#pragma once
// The sign of each trouble in a picture, as a figure. Planes are finite.

#include <vector>

#include "sieve/core/image.hpp"
#include "sieve/restore/find_psf.hpp"

namespace sieve::internal::signs {

// The grain in the calmer parts of classes of equal brightness of one channel, about a dozen, from dark to bright; none
// in pictures that are too small.
struct GrainAtLevel {
  double level, variance;
};
std::vector<GrainAtLevel> grain_by_level(const ConstView& channel);

// How much it rises with the level: the line variance = a + b level through them, by the median of the slopes (Theil
// and Sen); low and high are the mean levels of the outer classes.
struct GrainLine {
  double a = 0, b = 0, low = 0, high = 0;
  bool found = false;
};
GrainLine grain_line(const std::vector<GrainAtLevel>& points);

// Deviation of what stands in flat parts where it is alike in neighbors; 0 where it is white.
double coarse_grain(const ConstView& luma);

// Columns, or rows, whose level has nothing to do with that of their neighbors.
std::vector<int> dead_lines(const ConstView& luma, bool rows);

// How much larger the steps between neighbors are at the borders of 8x8 blocks than elsewhere: on the 0..1 scale, and
// over the mean step.
struct BlockSteps {
  double step = 0, share = 0;
};
BlockSteps block_steps(const ConstView& luma);

// How far the strongest edges overshoot, in parts of their height; 0 where there are too few. What grain of that
// deviation adds to the largest of a few samples is taken off.
double overshoot(const ConstView& luma, double noise);
// The levels across them, from dark (0) to bright (1), at kAcross from their middles, on the mean; empty where there
// are too few.
inline constexpr double kAcross[] = {-6,  -5, -4,  -3.5, -3,  -2.5, -2,  -1.5, -1, -0.5, 0,
                                     0.5, 1,  1.5, 2,    2.5, 3,    3.5, 4,    5,  6};
std::vector<double> mean_edge(const ConstView& luma);

// A smooth surface of degree 2 through the lighter part of every block of a few dozen pixels.
struct Light {
  double range = 0;    // largest less smallest value over the mean
  double share = 0;    // of the variance that it explains
  double rest = 0;     // deviation of the blocks from it over the mean
  double printed = 0;  // share of the blocks that also have something dark
};
Light light(const ConstView& luma);

// The color of the light by two guesses that agree: that the brightest is white, and that the mean edge is gray (van de
// Weijer and others, IEEE Trans. Image Processing 16, 2007). The smaller of their distances from gray, as the logarithm
// of a factor between channels; 0 where they disagree.
double tint(const ConstView& colors);

// How many times as large as without its grain the mean gradient of the middle of a picture is when a blur is undone
// there: one that was never there leaves waves along every edge.
double growth_of_edges(const ConstView& luma, const FoundPsf& blur, double noise);

}  // namespace sieve::internal::signs
