#pragma once
// How samples travel to a page: exactly as levels of an integer source or as floats, or rounded to steps.

#include <nlohmann/json.hpp>
#include <string>

#include "sieve/core/image.hpp"

namespace sieve::internal::page {

struct Coded {
  nlohmann::ordered_json head;  // width, height, channels, white, samples, step, packed
  std::string bytes;
  bool exact = true;
};

// Bits after the point of a rounded sample; kExact for none.
inline constexpr int kExact = 0;

// The samples plane by plane, row by row, little-endian. `bits`: samples that are no levels are rounded to 2^-bits.
// `packed`: each as the difference to what its neighbors predict, low bytes before high bytes, deflated.
Coded coded(const ConstView& image, int bits, bool packed);

// What is seen while a slider moves: every sample rounded to 1/8192 within -4..4, what is no number as the least of
// all.
Coded glimpse(const ConstView& image);

}  // namespace sieve::internal::page
