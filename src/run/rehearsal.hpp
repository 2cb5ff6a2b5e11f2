#pragma once
// How the time of a run will be shared out, learned on a small part of the picture: for those who hear progress.

#include <vector>

#include "run/schedule.hpp"

namespace sieve::internal {

struct Rehearsal {
  // The time of a step, in any unit, and the share of it that has passed at the end of each of its phases.
  struct Part {
    double time = 1;
    std::vector<double> phase_ends = {};
  };
  std::vector<Part> steps;
  double share = 1;  // of the picture's pixels that was tried

  // Runs every step on a part from the middle of the picture. A step that cannot run there counts as much as the others
  // on average.
  Rehearsal(const Schedule& schedule, const ConstView& in);
};

// Pictures of so many samples are rehearsed for.
constexpr std::size_t kRehearsed = std::size_t{1} << 18;

}  // namespace sieve::internal
