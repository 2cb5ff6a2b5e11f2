#pragma once
// Rows of interleaved samples to planes and back, on SIMD lanes chosen at run time.

#include <cstddef>
#include <cstdint>

#include "sieve/core/buffers.hpp"

namespace sieve::internal::lanes {

// A row of `n` pixels of `channels` (1 to 4) interleaved samples to a row of each plane: v / white, floats as they are.
void split_row(const std::uint8_t* in, float* const* planes, int channels, std::size_t n, float white);
void split_row(const std::uint16_t* in, float* const* planes, int channels, std::size_t n, float white);
void split_row(const float* in, float* const* planes, int channels, std::size_t n, float white);

// Back: to levels 0..white, rounded to nearest and saturated; what was lost is added to `lost`. Floats as they are.
void join_row(const float* const* planes, std::uint8_t* out, int channels, std::size_t n, float white,
              Saturation& lost);
void join_row(const float* const* planes, std::uint16_t* out, int channels, std::size_t n, float white,
              Saturation& lost);
void join_row(const float* const* planes, float* out, int channels, std::size_t n, float white, Saturation& lost);

}  // namespace sieve::internal::lanes
