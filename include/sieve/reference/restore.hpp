#pragma once
/// Plain definitions for restorations.

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The channel with its border blended into the blur of the wrapped channel, by a raised cosine over the width and
/// height of the PSF (at most half of the picture): what Border::taper means.
[[nodiscard]] Image tapered(const ConstView& channel, const Kernel& psf);

/// The picture that TotalVariationDeconvolution states for a weight, by another method than the library's, with every
/// blur a sum over the PSF: nearer to it the more iterations. Source: Chambolle and Pock, J. Math. Imaging and Vision
/// 40, 2011, algorithm 1. O(iterations * pixels * taps).
[[nodiscard]] Image total_variation_deconvolution(const ConstView& in, const Kernel& psf, double weight, Border border,
                                                  int iterations);

}  // namespace reference
}  // namespace sieve
