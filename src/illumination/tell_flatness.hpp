#pragma once
#include "sieve/core/image.hpp"

namespace sieve::internal {

// A note with the flatness of input and result, measured only where somebody hears it.
void tell_flatness(const ConstView& before, const ConstView& after);

}  // namespace sieve::internal
