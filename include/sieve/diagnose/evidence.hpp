#pragma once
/// What a diagnosis rests on, to be drawn.

#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// The measures behind diagnose(), as curves and pictures.
struct Evidence {
  std::vector<double> distance;  ///< pixels from the middle of the strongest edges, negative on their dark side; empty
                                 ///< where there are too few edges
  std::vector<double> edge;      ///< the mean level there, from 0 (dark side) to 1 (bright side): beyond them a halo
  std::vector<double> level;     ///< mean levels of classes of equal brightness; empty in small pictures
  std::vector<double> noise;     ///< the deviation of the grain in each, 0..1 scale
  Image spectrum;                ///< log magnitudes from 0 to 1, zero frequency in the middle
  Image cepstrum;  ///< gray where a place is like the others of its distance from the middle, a pixel each;
                   ///< darker below: a motion leaves two dark spots at its length, a disk a ring. Empty in
                   ///< pictures below 64x64
};

/// Measured on the picture as it is, by the parts that diagnose() looks at. InvalidArgument for an empty picture.
/// About 0.2 seconds, whatever the size.
[[nodiscard]] Evidence evidence(const ConstView& in);

}  // namespace sieve
