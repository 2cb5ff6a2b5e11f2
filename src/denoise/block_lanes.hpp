#pragma once
// What is done to groups of blocks, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

inline constexpr int kMostBlock = 16;  // samples to a side
inline constexpr int kMostGroup = 32;

// Floats to a row of a block in a stack.
constexpr int block_pitch(int side) { return side <= 8 ? 8 : 16; }

// The cosine transform (DCT-II, orthonormal) of blocks of one size.
struct BlockBasis {
  explicit BlockBasis(int side_of_blocks);
  int side, pitch;
  alignas(64) float rows[kMostBlock * kMostBlock];     // rows[k * pitch + x]: function k at x
  alignas(64) float columns[kMostBlock * kMostBlock];  // columns[x * pitch + k]: the same, turned
};
// The coefficients of `count` blocks of a plane, whose first samples are plane[places[i]], one block behind the other,
// `n` floats to each: number x * pitch + y is that of function x along the row and y down the column.
void blocks_forward(const BlockBasis& b, const float* plane, std::ptrdiff_t stride, const std::ptrdiff_t* places,
                    int count, std::size_t n, float* coefficients);
// The samples back, in place, row by row.
void blocks_inverse(const BlockBasis& b, int count, std::size_t n, float* blocks);

// Adds `form`, n floats, and levels[i] at its first number to each of `count` blocks of n (a multiple of 16) floats.
void add_form(float* blocks, int count, std::size_t n, const float* form, const float* levels);

// A stack of `count` blocks (a power of two up to kMostGroup) of `n` floats each (a multiple of 16), one behind the
// other: a Hadamard transform through the stack, every number of a size up to that of `thresholds` for its place in the
// block (of the orthonormal transform) set to 0 but for the mean, and back. Gives the number of those that stay.
int shrink_hard(float* stack, int count, std::size_t n, const float* thresholds);
// The same, every number times b^2 / (b^2 + power) with b the number of a guide's stack, which is spoiled, and a power
// of the noise above 0 for each place in the block. Gives the sum of the squared factors.
float shrink_by_guide(float* stack, float* guide, int count, std::size_t n, const float* powers);

// For each of `count` blocks of n floats: sums[places[i] + y * stride + x] += weight * window * block and
// weights[...] += weight * window, rows of `pitch` floats.
void add_blocks(const float* blocks, int count, std::size_t n, const std::ptrdiff_t* places, const float* window,
                int side, int pitch, float weight, float* sums, float* weights, std::ptrdiff_t stride);

}  // namespace sieve::internal::lanes
