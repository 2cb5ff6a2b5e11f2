#pragma once
/// What a filter computes on the way to its result, for those who want to see it.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// What the samples of a stage's picture are.
enum class StageContent {
  samples,      ///< levels, as in any picture
  differences,  ///< signed numbers about 0
  frequencies,  ///< a number for every frequency, zero frequency in the middle, sides at 0.5 cycles per pixel
};

/// A row of numbers over another, with its name.
struct StageCurve {
  std::string name;          ///< what it is the curve of
  std::vector<double> x, y;  ///< its points
  int chosen = -1;           ///< index of the point that the filter chose, -1 for none
};

/// A picture made on the way, with its name: "blur", "mask". Or curves instead of a picture.
struct Stage {
  std::string name;                              ///< what it is
  Image image = {};                              ///< of any size; empty where there are curves
  StageContent content = StageContent::samples;  ///< what its samples are
  std::vector<StageCurve> curves = {};           ///< instead of a picture
  std::string x_name = {}, y_name = {};          ///< of the quantities along the axes of the curves
};

}  // namespace sieve
