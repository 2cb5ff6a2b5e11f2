#pragma once
/// Blur by a known point spread function.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {

/// Convolution with a point spread function scaled to sum 1, so that the picture neither darkens nor brightens. Any
/// kernel will do: gaussian:sigma=2, disk:radius=3.5 (out of focus), motion:length=15,angle=25 (shaken), a file.
/// Cost as convolve. InvalidArgument for a PSF whose sum is not above 0.
struct Blur {
  Kernel psf = Kernel::gaussian(1.5);  ///< point spread function, scaled to sum 1
  Border border = Border::edge;        ///< what lies beyond the picture
  Real fill = 0;                       ///< the sample beyond the picture with Border::constant

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Blur>& d);
};

}  // namespace sieve
