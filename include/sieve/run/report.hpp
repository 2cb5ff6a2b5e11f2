#pragma once
/// What a run did, as data.

#include <cstddef>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// The samples of a step's result.
struct SampleFigures {
  float low = 0, high = 0;     ///< smallest and largest finite sample of the color channels; 0 where there is none
  std::size_t samples = 0;     ///< of all color channels
  std::size_t below = 0;       ///< under 0
  std::size_t above = 0;       ///< over 1
  std::size_t not_finite = 0;  ///< NaN and infinities, which are neither below nor above
};

/// One step of a run.
struct StepReport {
  std::string text;                ///< "gaussian sigma=2", with what was measured in place
  std::string meaning;             ///< what the parameters mean in pixels ("window 5x5"); empty where there is nothing
  Shape shape;                     ///< of its result, whole
  double seconds = 0;              ///< its share of the time
  SampleFigures figures;           ///< of its result, or of the part that was asked for
  std::vector<std::string> notes;  ///< what it found out or decided: "noise=0.031, measured"
};

/// What some steps took on a device.
struct DeviceFigures {
  std::size_t first = 0, count = 0;    ///< the steps, counted from 0
  std::size_t bytes_up = 0;            ///< from the picture to the device
  std::size_t bytes_down = 0;          ///< and back
  int uploads = 0, downloads = 0;      ///< transfers of a picture or of a strip of it
  int kernels = 0;                     ///< launches, those that only gather the figures of a report left out
  double seconds_up = 0;               ///< by the device's own clock
  double seconds_kernels = 0;          ///< of the launches together
  double seconds_down = 0;             ///< back
  std::vector<StepReport> steps = {};  ///< time and samples of each, where RunOptions::figures asks for them
};

/// What a run did.
struct Report {
  double seconds = 0;                      ///< of the whole run
  std::vector<StepReport> steps;           ///< where RunOptions::figures asks for them
  std::vector<DeviceFigures> device = {};  ///< what ran on a device, in the order of the steps
};

}  // namespace sieve
