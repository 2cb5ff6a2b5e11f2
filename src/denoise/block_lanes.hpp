#pragma once
// The inner loops of block matching, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

inline constexpr int kMostBlock = 16;  // samples to a side
inline constexpr int kMostGroup = 32;
// Samples behind the end of a row that are read without being used.
inline constexpr int kBlockSlack = 80;

// out[x] = sum over the block of (block - candidate)^2 for candidates whose first samples are row[0..count - 1].
// `block` has the same stride. Whole vectors are written.
void block_distances(const float* block, const float* row, std::ptrdiff_t stride, int side, int count, float* out);

// The places, in rising order, of the `wanted` smallest of `count` distances (a multiple of kDistanceRow) and a few
// more; fewer where no more are below `limit`, and all that are below `alike` where that is at least as many as wanted.
// Whole vectors are written.
inline constexpr int kDistanceRow = 16;
struct Nearest {
  int count;
  bool alike;  // all are below that
};
Nearest nearest_places(const float* distances, int count, int wanted, float alike, float limit, int* places);

// Floats to a row of a block in a stack.
constexpr int block_pitch(int side) { return side <= 8 ? 8 : 16; }

// The cosine transform (DCT-II, orthonormal) of blocks of one size.
struct BlockBasis {
  explicit BlockBasis(int side_of_blocks);
  int side, pitch;
  alignas(64) float rows[kMostBlock * kMostBlock];     // rows[k * pitch + x]: function k at x
  alignas(64) float columns[kMostBlock * kMostBlock];  // columns[x * pitch + k]: the same, turned
};
// The coefficients of the block at `from`, side rows of `pitch` floats.
void block_forward(const BlockBasis& b, const float* from, std::ptrdiff_t stride, float* coefficients);
// The samples back, in place.
void block_inverse(const BlockBasis& b, float* block);

// A stack of `count` blocks (a power of two up to kMostGroup) of `n` floats each (a multiple of 16), one behind the
// other: a Hadamard transform through the stack, every number of a size up to that of `thresholds` for its place in the
// block (of the orthonormal transform) set to 0 but for the mean, and back. Gives the number of those that stay.
int shrink_hard(float* stack, int count, std::size_t n, const float* thresholds);
// The same, every number times b^2 / (b^2 + power) with b the number of a guide's stack, which is spoiled, and a power
// of the noise above 0 for each place in the block. Gives the sum of the squared factors.
float shrink_by_guide(float* stack, float* guide, int count, std::size_t n, const float* powers);

// sums[y * stride + x] += weight * window * block and weights[...] += weight * window, rows of `pitch` floats.
void add_block(const float* block, const float* window, int side, int pitch, float weight, float* sums, float* weights,
               std::ptrdiff_t stride);

}  // namespace sieve::internal::lanes
