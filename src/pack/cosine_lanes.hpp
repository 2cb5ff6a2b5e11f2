#pragma once
// Quantizing of rows of 8x8 blocks, on SIMD lanes chosen at run time.

#include <cstddef>
#include <cstdint>

namespace sieve::internal::lanes {

// Coefficients of `blocks` blocks beside each other, in 8 rows, times per[8 v + u], to whole numbers of -32767..32767:
// rounded down below 2/3, since zeros cost less than they lose. Block after block, row by row; bit 8 v + u of
// some[block]: is not 0.
void quantize_blocks(const float* const* rows, const float* per, std::int16_t* out, std::uint64_t* some,
                     std::size_t blocks);

// Back: magnitudes less 0.06 (smaller values are likelier within an interval), but for the first, times step[8 v + u].
void restore_blocks(const std::int16_t* in, const float* step, float* const* rows, std::size_t blocks);

}  // namespace sieve::internal::lanes
