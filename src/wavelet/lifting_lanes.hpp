#pragma once
// The inner loops of the wavelet transforms.

#include <cstddef>

namespace sieve::internal::lanes {

// even[i] = row[2 i], odd[i] = row[2 i + 1], and back, for i in 0..n-1.
void split_pairs(const float* row, float* even, float* odd, std::size_t n);
void join_pairs(const float* even, const float* odd, float* row, std::size_t n);

// to[i] += factor * (a[i] + b[i]), then times `scale`.
void lift_step(float* to, const float* a, const float* b, float factor, float scale, std::size_t n);

struct LiftFactors {
  float a, b, c, d, low, high;
};

// What lifting down the columns keeps from one pair of rows to the next.
struct LiftRows {
  float *even, *d1, *s1, *d2;
};

// Takes the pair (odd row 2k - 1, even row 2k), gives the finished coefficients of pair k - 2; `low` and `high` may be
// null.
void lift_down(const float* odd, const float* even, const LiftRows& state, const LiftFactors& f, float* low,
               float* high, std::size_t n);
// Takes the coefficients of pair k, gives even row 2 (k - 1) and odd row 2 (k - 2) + 1.
void lift_up(const float* low, const float* high, const LiftRows& state, const LiftFactors& f, float* even, float* odd,
             std::size_t n);

}  // namespace sieve::internal::lanes
