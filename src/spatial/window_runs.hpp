#pragma once
#include <span>

#include "core/workspace.hpp"
#include "sieve/spatial/footprint.hpp"

namespace sieve::internal {

// As window_offsets().
Scratch<WindowOffset> scratch_offsets(const char* who, WindowShape shape, float radius, const Footprint& footprint);

// Neighboring places in a row of a window: dx from..to, both included.
struct Run {
  int dy, from, to;
};
Scratch<Run> runs_of(std::span<const WindowOffset> window);

// The farthest that a window's place lies from its middle, across or down.
int reach_of(std::span<const WindowOffset> window);

}  // namespace sieve::internal
