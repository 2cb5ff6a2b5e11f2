#pragma once
/// Sharpening, with its steps in view. Results leave 0..1 at edges and are kept so until a clip is asked for; a note
/// tells how many samples did. Every color channel by itself.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/stage.hpp"

namespace SIEVE_EXPORT sieve {

/// Unsharp masking and high boost: g = f + amount * m with the mask m = f - blur(f), a Gaussian of `sigma`. amount
/// below 1 softens the effect, 1 is unsharp masking, above 1 high boost. `threshold` is taken off the size of the mask,
/// so that flat noise is not raised. Source: Gonzalez and Woods, 4th ed., eq. 3-55 and 3-56. O(samples).
struct Unsharp {
  Real sigma = 1.5F;             ///< of the blur, pixels, 0.1 to 500
  Real amount = 1;               ///< 0 to 100
  Real threshold = 0;            ///< 0..1 scale: smaller differences stay as they are
  Border border = Border::edge;  ///< what lies beyond the picture: edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Unsharp>& d);
};

/// g = f - amount * laplacian(f), with the Laplacian of four or of eight neighbors. Source: Gonzalez and Woods, 4th
/// ed., eq. 3-54. O(samples).
struct LaplacianSharpen {
  Real amount = 0.5F;            ///< 0 to 100
  bool diagonals = false;        ///< eight neighbors instead of four
  Border border = Border::edge;  ///< what lies beyond the picture: edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<LaplacianSharpen>& d);
};

/// Unsharp masking held between the smallest and the largest sample of the square window of the input: edges grow
/// steeper, but no halo rises beside them, and nothing leaves the range of the input. O(samples).
struct BoundedUnsharp {
  Real sigma = 1.5F;             ///< of the blur, pixels, 0.1 to 500
  Real amount = 2;               ///< 0 to 100
  Real radius = 1;               ///< half-width in pixels of the window that limits, 1 to 100
  Border border = Border::edge;  ///< what lies beyond the picture: edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<BoundedUnsharp>& d);
};

}  // namespace sieve
