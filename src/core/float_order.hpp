#pragma once
// Whole numbers that order like the floats they come from, for sorting and counting by digits.

#include <bit>
#include <cstdint>

namespace sieve::internal {

inline std::uint32_t key_of(float v) {
  const auto bits = std::bit_cast<std::uint32_t>(v);
  return bits ^ ((bits >> 31) != 0 ? 0xffffffffU : 0x80000000U);
}

inline float float_of(std::uint32_t key) {
  return std::bit_cast<float>(key ^ ((key >> 31) != 0 ? 0x80000000U : 0xffffffffU));
}

}  // namespace sieve::internal
