#pragma once
// The inner loop of the soft knee, on SIMD lanes chosen at run time. Plain C++, so that whoever calls it need not know
// Highway.

#include <cstddef>

namespace skeleton {

// out[x] = the knee's value of in[x] for x in 0..n-1; `out` may be `in`.
void soft_knee_row(const float* in, float knee, float* out, std::size_t n);

}  // namespace skeleton
