#pragma once
// The noise that a restoration reckons with.

#include <optional>

#include "sieve/core/image.hpp"

namespace sieve::internal {

// What rounding did to samples: the distance of the values that they may have, and the deviation that it adds.
struct Rounding {
  double step = 0;
  bool integers = false;  // of a file; else of 32-bit floats
  double deviation() const;
};
// By the samples themselves: a picture that was filtered remembers the levels of its file, but is on them no more.
Rounding rounding_of(const ConstView& in);

// As it is given; measured where it is not, and then at least what rounding added.
double noise_of(const std::optional<float>& given, const ConstView& in);

}  // namespace sieve::internal
