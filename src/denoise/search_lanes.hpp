#pragma once
// The inner loops of the search for like blocks, on SIMD lanes chosen at run time.

#include <cstddef>

namespace sieve::internal::lanes {

// Samples behind the end of a row that are read without being used.
inline constexpr int kBlockSlack = 80;

// out[y * columns + x] = sum over the block of (block - candidate)^2 for the candidates whose first samples are
// first[y * stride + x], `rows` rows of `columns` (a multiple of kDistanceRow). `block` has the same stride.
inline constexpr int kDistanceRow = 16;
void window_distances(const float* block, const float* first, std::ptrdiff_t stride, int side, int rows, int columns,
                      float* out);
// out[i] = terms[0][i] + ... + terms[count - 1][i], for n (a multiple of kDistanceRow) numbers.
void add_tables(const float* const* terms, int count, std::size_t n, float* out);

// What stands behind the first `used` of every row becomes infinite.
void close_rows(float* distances, int rows, int columns, int used);
// How many of `count` distances (a multiple of kDistanceRow) are below `limit`.
int count_below(const float* distances, int count, float limit);

// What a slope explains of the distances from a block of `numbers` samples and a mean of `own`, in the rows `first` to
// `past - 1` below it (negative: above) and from `left` columns beside it on, is taken off: level[i] = distance +
// numbers t (2 (own - mean) + t) with t = across dx + down dy and the means of the candidates at means[y * stride + x].
struct BlockSlope {
  float across, down;
};
void level_distances(const float* distances, int columns, int left, int first, int past, const float* means,
                     std::ptrdiff_t stride, float own, BlockSlope slope, float numbers, float* level);

// Rounds distances to 13 bits, so that blocks that are equally like another (a drawn picture has many) are taken in the
// order of their places, however their sums were rounded.
void round_distances(float* distances, int count);

// The places of the `wanted` smallest of `count` rounded distances (a multiple of kDistanceRow) and up to as many more,
// of equal ones the first; fewer where no more are below `limit`. `bound`, where the search for it begins, becomes one
// that all of them are below; it changes nothing but the time. Room for 2 * wanted and a vector is written to.
int nearest_places(const float* distances, int count, int wanted, float limit, float& bound, int* places);

// ranks[i]: how many of `count` numbers come before numbers[i] in rising order, equal ones in their own. Both have room
// for whole vectors.
void order_of(const float* numbers, int count, int* ranks);

}  // namespace sieve::internal::lanes
