#pragma once
/// Plain definitions for restorations.

#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace sieve::reference {

/// The channel with its border blended into the blur of the wrapped channel, by a raised cosine over the width and
/// height of the PSF (at most half of the picture): what Border::taper means.
Image tapered(const ConstView& channel, const Kernel& psf);

}  // namespace sieve::reference
