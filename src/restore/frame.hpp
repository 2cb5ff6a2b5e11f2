#pragma once
// The frame that a restoration works in: the picture and what is assumed beyond it, up to where all of it repeats
// itself.

#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::internal {

struct Frame {
  int width, height;
  Border border;  // mirror, taper or wrap
};

// Cycles per pixel of the row v of coefficients.
inline double frequency_down(int v, const Frame& f) {
  return static_cast<double>(2 * v > f.height ? v - f.height : v) / f.height;
}

// The picture with its mirror images; with room for the PSF beyond it (taper); or the picture itself (wrap).
Frame frame_of(const Shape& s, const Kernel& psf, Border border);

// The power of white noise in the picture over that in the frame: what tapers do beyond the picture is free of it.
double noise_share(const Shape& picture, const Frame& frame);

// The picture continued to its frame. With taper the mirror images of opposite sides fade into each other.
Image continued(const ConstView& in, const Frame& frame);

}  // namespace sieve::internal
