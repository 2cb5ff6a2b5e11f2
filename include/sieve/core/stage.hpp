#pragma once
/// What a filter computes on the way to its result, for those who want to see it.

#include <string>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve {

/// A curve to be drawn, with its name.
struct StageCurve {
  std::string name;          ///< for the legend
  std::vector<double> x, y;  ///< its points
  int marked = -1;           ///< index of a point to mark, -1 for none
};

/// A picture made on the way, with its name: "blur", "mask". Or curves instead of a picture.
struct Stage {
  std::string name;                        ///< for the caption
  Image image = {};                        ///< of any size
  bool is_signed = false;                  ///< drawn pale at 0, blue below, orange above
  bool is_spectrum = false;                ///< drawn over the frequencies, zero in the middle
  std::vector<StageCurve> curves = {};     ///< where there are some, they are drawn and not the picture
  std::string x_label = {}, y_label = {};  ///< of the curves
};

}  // namespace sieve
