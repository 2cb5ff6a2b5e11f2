#pragma once
// The cosine transform of blocks of 8, on many blocks at once.

#include <cstddef>

namespace sieve::internal::lanes {

// Down the columns of 8 rows of n samples: row k of the result holds coefficient k. May work in place.
void cosine8_down(const float* const* in, float* const* out, std::size_t n, bool forward);
// Along a row, in blocks of 8. May work in place.
void cosine8_along(const float* in, float* out, std::size_t blocks, bool forward);

}  // namespace sieve::internal::lanes
