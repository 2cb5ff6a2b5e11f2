#pragma once
// Where the samples of pictures lie.

#include <cstddef>
#include <cstdint>

#include "sieve/core/image.hpp"

namespace sieve::internal {

// A picture of anything, for what writes every sample of it.
Image unfilled(const Shape& shape, std::uint32_t white_level);

// The memory of this machine in bytes.
std::size_t machine_memory();

// Zeroed and aligned to 64 bytes. Error where memory is short.
float* allocate_samples(std::size_t bytes);
// What allocate_samples(bytes) gave; null is allowed.
void free_samples(float* data, std::size_t bytes);

}  // namespace sieve::internal
