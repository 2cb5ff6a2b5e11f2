#pragma once
// The place of a sample in memory, where places in a picture are signed.

#include <cstddef>

namespace sieve::internal {

inline std::size_t index(std::ptrdiff_t i) { return static_cast<std::size_t>(i); }

}  // namespace sieve::internal
