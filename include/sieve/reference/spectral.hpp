#pragma once
/// Plain definitions of the Fourier and cosine transforms and of what is done between there and back.

#include <complex>
#include <functional>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spectral/frequency.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The sum that SpectrumOf states, for every (u, v) of 0..w-1, 0..h-1, row by row; of one channel. O(pixels^2).
[[nodiscard]] std::vector<std::complex<double>> fourier(const ConstView& channel);
/// The picture continued as the border says (mirror, zero or wrap), its spectrum times gain(fx, fy), and back. O(pixels
/// * (width + height)).
[[nodiscard]] Image filter_frequencies(const ConstView& in, const std::function<double(double fx, double fy)>& gain,
                                       Border border);
/// What a picture of gains says of a frequency in cycles per pixel: its middle is the zero frequency, its sides are 0.5
/// away; read with the weights of the four samples about the place, the mean of the point and its mirror point.
[[nodiscard]] double transfer_gain(const ConstView& gains, double fx, double fy);
/// Orthonormal cosine transform, type II, of blocks of `block` x `block` samples (smaller at the right and lower
/// border), 0: of the whole picture: C(u, v) = a(u) a(v) sum over x, y of f(x, y) cos(pi (2 x + 1) u / 2 w) cos(pi (2 y
/// + 1) v / 2 h) with a(0) = sqrt(1 / n), else sqrt(2 / n). The double sum itself: O(pixels * samples of a block).
[[nodiscard]] Image cosine_forward(const ConstView& in, int block);
/// Type III, its inverse.
[[nodiscard]] Image cosine_inverse(const ConstView& coefficients, int block);

}  // namespace reference
}  // namespace sieve
