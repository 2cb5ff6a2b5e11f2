#pragma once
/// A chain that acts on a part of the picture only.

#include <optional>
#include <string>

#include "sieve/core/picture.hpp"
#include "sieve/filter/chain.hpp"

namespace sieve {

/// A rectangle that may be missing, as a parameter: "X,Y,WIDTH,HEIGHT" or "all".
struct Part {
  std::optional<Rectangle> rectangle;
};

template <>
struct TextValue<Part> {
  static std::string text(const Part& p);
  static Part parse(std::string_view s, const Resources&);
  static const char* allowed() { return "X,Y,WIDTH,HEIGHT in pixels, or all"; }
};

/// Runs a chain on the whole picture and keeps its result inside a rectangle, weighted by a mask picture (0 keeps the
/// input, 1 the result, between mixes softly); outside, the input stays as it is. In chain text a group:
/// `within part=X,Y,W,H mask=M.png then NAME ... then end`. BadCall where the chain changes the picture's shape, the
/// rectangle is not inside, or the mask has another size. Cost: the chain's, and O(samples).
struct Within {
  Part part = {};
  Picture mask = {};  ///< gray, of the picture's size
  Chain chain = {};

  Image operator()(const ConstView& in) const;
  std::string text(bool full) const;
  static void describe(Description<Within>& d);
};

}  // namespace sieve
