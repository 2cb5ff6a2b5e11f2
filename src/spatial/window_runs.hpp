#pragma once
#include <vector>

#include "sieve/spatial/footprint.hpp"

namespace sieve::internal {

// Neighboring places in a row of a window: dx from..to, both included.
struct Run {
  int dy, from, to;
};
std::vector<Run> runs_of(const std::vector<WindowOffset>& window);

// The farthest that a window's place lies from its middle, across or down.
int reach_of(const std::vector<WindowOffset>& window);

}  // namespace sieve::internal
