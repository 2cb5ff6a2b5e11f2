#pragma once
/// What a run did, as data.

#include <cstddef>
#include <limits>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/run/plan.hpp"

namespace SIEVE_EXPORT sieve {

/// The samples of a step's result; all 0 where nobody asked for them.
struct SampleFigures {
  float low = 0, high = 0;  ///< smallest and largest finite sample of the color channels; 0 where there is none
  std::size_t samples = 0;  ///< of all color channels
  std::size_t below = 0;    ///< under 0
  std::size_t above = 0;    ///< over 1
  std::size_t not_finite = 0;
};

/// One step of a run.
struct StepReport {
  std::string text;                ///< "gaussian sigma=2", with what was measured in place
  std::string meaning;             ///< what the parameters mean in pixels ("window 5x5"); empty where there is nothing
  double seconds = 0;              ///< its share of the time; measured where RunOptions::figures asks for it
  SampleFigures figures;           ///< of its result, where RunOptions::figures asks for them
  std::vector<std::string> notes;  ///< what it found out or decided: "noise=0.031, measured"
};

/// What a run did.
struct Report {
  double seconds = 0;             ///< of the whole run
  std::vector<StepReport> steps;  ///< where RunOptions::figures asks for them
};

}  // namespace sieve
