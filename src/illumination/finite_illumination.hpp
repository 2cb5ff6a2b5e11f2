#pragma once
#include "sieve/core/image.hpp"

namespace sieve::internal {

// `in` itself where every sample is finite; else a copy in `room` with each channel's mean in place of those that are
// not, and a note of their number. A guess of the light looks far: one sample that is no number would be everywhere.
ConstView finite_illumination(const ConstView& in, Image& room);

}  // namespace sieve::internal
