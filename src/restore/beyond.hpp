#pragma once
// What lay beyond a blurred picture, as far as the picture tells of it.

#include "restore/deconvolution.hpp"

namespace sieve::internal {

// The channel in its frame, or itself where a cosine transform needs none. With taper, what is beyond it is what makes
// the objective of constrained least squares the least, sum of |H X - G|^2 + k |D X|^2 with D the gradient: a
// continuation that the PSF can have blurred. Source: Reeves, "Fast image restoration without boundary artifacts", IEEE
// Trans. Image Processing 14, 2005. Two steps of conjugate gradients from mirror images that fade over, hence six
// transforms in single precision.
Image in_frame(const ConstView& channel, const Transfer2d& transfer);

}  // namespace sieve::internal
