#pragma once
/// The types of numeric parameters that take any arithmetic value without a narrowing complaint.

#include <concepts>
#include <cstdint>
#include <type_traits>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// A parameter that is a real number, such as a sigma, a radius or an amount: `Gaussian{.sigma = s}` compiles without
/// a warning for an int, a float and a double `s` alike. Kept in single precision, as samples are, and read back as a
/// float.
class Real {
 public:
  constexpr Real() = default;
  /// Of any number.
  template <class N>
  requires std::is_arithmetic_v<N>
  constexpr Real(N value) : value_(static_cast<float>(value)) {}
  /// The number.
  constexpr operator float() const { return value_; }

 private:
  float value_ = 0;
};

/// The seed of a random stream: takes any whole number, a loop's int too.
class Seed {
 public:
  constexpr Seed() = default;
  /// Of any whole number.
  template <std::integral N>
  constexpr Seed(N value) : value_(static_cast<std::uint64_t>(value)) {}
  /// The number.
  constexpr operator std::uint64_t() const { return value_; }

 private:
  std::uint64_t value_ = 1;
};

}  // namespace sieve
