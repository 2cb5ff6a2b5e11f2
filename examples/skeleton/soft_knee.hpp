#pragma once
/// A soft knee: highlights above a level are bent toward white instead of cut off.

#include "sieve/describe.hpp"

namespace skeleton {

/// v up to `knee`; beyond it 1 - (1 - knee)^2 / (v + 1 - 2 knee), which goes on from the knee with the same slope and
/// never passes 1. Every color channel by itself, alpha passes through; NaN stays. O(samples).
struct SoftKnee {
  sieve::Real knee = 0.8F;  ///< level where the bend begins, 0 to 0.99

  sieve::Image operator()(const sieve::ConstView& in) const;
  /// Into a caller's buffer of the picture's shape.
  void operator()(const sieve::ConstView& in, const sieve::View& out) const;
  static void describe(sieve::Description<SoftKnee>& d);
};

/// The same by its definition, sample by sample in double: what the fast way is held against.
sieve::Image plain(const SoftKnee& f, const sieve::ConstView& in);

}  // namespace skeleton
