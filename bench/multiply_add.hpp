#pragma once
// How many multiply-adds the processor can do.

#include <cstddef>

namespace sieve::bench {

// Does about `turns` times 12 vectors of independent multiply-adds, in registers alone; returns how many multiply-adds
// of single samples that were. `result` keeps them from being left out.
double multiply_adds(std::size_t turns, float& result);

}  // namespace sieve::bench
