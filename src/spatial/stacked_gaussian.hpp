#pragma once
#include <vector>

#include "core/workspace.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// exp(-(i - center)^2 / (2 sigma^2)) for i in -radius..radius, scaled to sum 1.
Scratch<float> gaussian_weights(double sigma, double center, int radius);

// Gaussian blur of one channel for sigma of 3.1 and more; any border that gives samples beyond the picture.
void stacked_gaussian(const ConstView& in, double sigma, Border border, float fill, const View& out);

// How far a result of stacked_gaussian looks.
int stacked_reach(double sigma);

}  // namespace sieve::internal
