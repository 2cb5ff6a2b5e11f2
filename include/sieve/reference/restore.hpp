#pragma once
/// Plain definitions for restorations.

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spatial/kernel.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The channel in the frame that Border::taper means: it goes on to the right and below by at least the size of the PSF
/// (and 8 samples), up to an even number of the factors 2, 3 and 5, and repeats itself from there. Beyond the channel
/// are mirror images of both ends that fade into each other, and from there two steps of conjugate gradients towards
/// the least sum |H X - G|^2 + 0.01 |D X|^2 over all X, with D the gradient: a continuation that the PSF can have
/// blurred. Source: Reeves, IEEE Trans. Image Processing 14, 2005.
[[nodiscard]] Image tapered(const ConstView& channel, const Kernel& psf);

/// The picture that TotalVariationDeconvolution states for a weight, by another method than the library's, with every
/// blur a sum over the PSF: nearer to it the more iterations. Source: Chambolle and Pock, J. Math. Imaging and Vision
/// 40, 2011, algorithm 1. O(iterations * pixels * taps).
[[nodiscard]] Image total_variation_deconvolution(const ConstView& in, const Kernel& psf, double weight, Border border,
                                                  int iterations);

}  // namespace reference
}  // namespace sieve
