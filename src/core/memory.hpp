#pragma once
// Where the samples of pictures lie.

#include <cstddef>
#include <cstdint>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace sieve::internal {

// A picture of anything, for what writes every sample of it.
Image unfilled(const Shape& shape, std::uint32_t white_level);

// The memory of this machine in bytes.
std::size_t machine_memory();

// Bytes that can be allocated without swapping: what the kernel calls available, and no more than the control group of
// this process allows. Half of the machine's memory where neither is known.
SIEVE_EXPORT std::uint64_t available_memory();

// Samples from one row of an Image to the next. Rows begin at multiples of 64 bytes, except in images of fewer than 16
// columns, which would otherwise take up to 16 times their size.
constexpr std::size_t padded_row(std::size_t width) { return width < 16 ? width : (width + 15) / 16 * 16; }

// Bytes that an Image of this shape takes.
inline std::uint64_t image_bytes(std::uint64_t width, std::uint64_t height, std::uint64_t channels) {
  const std::uint64_t row = padded_row(width) * channels * sizeof(float);
  return height > ~std::uint64_t{0} / row ? ~std::uint64_t{0} : row * height;
}

// Zeroed and aligned to 64 bytes. Error where memory is short.
float* allocate_samples(std::size_t bytes);
// What allocate_samples(bytes) gave; null is allowed.
void free_samples(float* data, std::size_t bytes);

}  // namespace sieve::internal
