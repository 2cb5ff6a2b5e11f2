#pragma once
/// A chain that acts on a part of the picture only.

#include <optional>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"
#include "sieve/filter/chain.hpp"

namespace SIEVE_EXPORT sieve {

/// Runs a chain on the whole picture and keeps its result inside a rectangle, weighted by a mask picture (0 keeps the
/// input, 1 the result, between mixes softly); outside, the input stays as it is. In chain text a group:
/// `within part=X,Y,W,H mask=M.png then NAME ... then end`. InvalidArgument where the chain changes the picture's
/// shape, the rectangle is not inside, or the mask has another size. Cost: the chain's, and O(samples).
struct Within {
  std::optional<Rectangle> part = {};  ///< the rectangle; nothing: the whole picture
  SharedImage mask = {};               ///< gray, of the picture's size
  Chain chain = {};                    ///< what acts there

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Within>& d);
};

}  // namespace sieve
