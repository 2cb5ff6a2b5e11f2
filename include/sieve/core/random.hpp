#pragma once
/// Random numbers that depend on a seed and a position alone: the same picture on every machine and with any
/// number of threads.

#include <array>
#include <cstdint>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// A counter-based stream: the value at a position is computed, not stepped to, so positions may be asked for in
/// any order and from any thread. Generator: Philox4x32 with ten rounds (Salmon, Moraes, Dror, Shaw, "Parallel
/// random numbers: as easy as 1, 2, 3", 2011). All floating-point steps are plain IEEE double operations.
class RandomStream {
 public:
  /// `stream` tells apart several independent streams of one seed (one a channel, say).
  explicit RandomStream(std::uint64_t seed, std::uint64_t stream = 0) : seed_(seed), stream_(stream) {}

  /// Four random words of 32 bits at a position.
  std::array<std::uint32_t, 4> words(std::uint64_t position) const;
  /// Uniform in (0, 1), both ends excluded, 52 random bits.
  double uniform(std::uint64_t position) const;
  /// Two independent uniform numbers of one position.
  std::array<double, 2> uniform_pair(std::uint64_t position) const;
  /// Normal with mean 0 and deviation 1: the uniform number through the inverse normal distribution.
  double normal(std::uint64_t position) const;

 private:
  std::uint64_t seed_;
  std::uint64_t stream_;
};

/// Inverse of the standard normal distribution for p in (0, 1), relative error about 1e-15 (Wichura, "Algorithm
/// AS 241: the percentage points of the normal distribution", 1988).
[[nodiscard]] double inverse_normal(double p);

}  // namespace sieve
