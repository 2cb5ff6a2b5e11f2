#pragma once
// A real parameter in a message, as the number that it is.

#include <fmt/format.h>

#include "sieve/describe/numbers.hpp"

template <>
struct fmt::formatter<sieve::Real> : fmt::formatter<float> {
  template <class Context>
  auto format(sieve::Real value, Context& context) const {
    return fmt::formatter<float>::format(static_cast<float>(value), context);
  }
};
