#pragma once
#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// Mean of the (2 radius + 1) by (2 radius + 1) window of one channel; any border that gives samples beyond the picture.
// Up to kSteadyMeanRadius it reads around a part of a picture and gives the samples of the whole one.
void box_mean(const ConstView& in, int radius, Border border, float fill, const View& out);

}  // namespace sieve::internal
