#pragma once
/// The 5/3 wavelet on whole numbers, without any loss.

#include <cstdint>
#include <span>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// Reversible 5/3 transform in place, by lifting with rounding: d = o - floor((e + e') / 2), s = e + floor((d' + d + 2)
/// / 4), along rows and columns, reflected at the border. `plane` holds height rows of `width` numbers (InvalidArgument
/// otherwise) and afterwards the nested bands: low ones in the first ceil(n / 2) places of each side, `levels` times (0
/// to 32). Numbers up to 2^28 in magnitude are safe. Source: Calderbank, Daubechies, Sweldens and Yeo, "Wavelet
/// transforms that map integers to integers", 1998. O(pixels).
void reversible_forward(std::span<std::int32_t> plane, int width, int height, int levels);
/// Back, bit for bit.
void reversible_inverse(std::span<std::int32_t> plane, int width, int height, int levels);

}  // namespace sieve
