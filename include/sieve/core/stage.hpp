#pragma once
/// What a filter computes on the way to its result, for those who want to see it.

#include <string>

#include "sieve/core/image.hpp"

namespace sieve {

/// A picture made on the way, with its name: "blur", "mask".
struct Stage {
  std::string name;
  Image image;
  bool is_signed = false;    ///< drawn pale at 0, blue below, orange above
  bool is_spectrum = false;  ///< drawn over the frequencies, zero in the middle
};

}  // namespace sieve
