#pragma once
// A step with what it measures.

#include "sieve/describe/step.hpp"

namespace sieve::internal {

// Notes what was measured, where notes are heard: the parameters of `after` that are others than those of `before`.
void note_measured(const Step& before, const Step& after);

}  // namespace sieve::internal
