#pragma once
// Results by level for pictures that came from integers.

#include <cstddef>
#include <cstdint>
#include <vector>

#include "sieve/core/function_ref.hpp"

namespace sieve::internal {

class LevelTable {
 public:
  // Of a curve, for the levels 0..white_level.
  LevelTable(std::uint32_t white_level, FunctionRef<void(const float* in, float* out, std::size_t n)> curve);
  // Looks up n samples. False, with anything in `out`, where one of them is no level: v / white_level, to the bit.
  // `out` may not be `in`.
  bool operator()(const float* in, float* out, std::size_t n) const;

 private:
  float white_level_;
  std::vector<float> levels_, results_;
  bool usable_ = false;
};

}  // namespace sieve::internal
