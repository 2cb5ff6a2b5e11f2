#pragma once
// The chains that follow from what was found.

#include "sieve/diagnose/diagnosis.hpp"

namespace sieve::internal {

// What the chains need to know beyond the findings.
struct Measured {
  double photons = 0;     // how many of them white stands for
  double coarse = 0;      // deviation of grain that is alike in neighbors
  double block_step = 0;  // at the borders of blocks, 0..1 scale
  const FoundPsf* blur = nullptr;
};

// A finding that is sure enough to be mended, or nullptr.
const Finding* sure(const Diagnosis& d, Trouble trouble);

// Fills d.proposals and d.leave.
void propose(Diagnosis& d, const Measured& m);

}  // namespace sieve::internal
