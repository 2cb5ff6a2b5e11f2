#pragma once
namespace sieve::internal {

// The largest side of a kernel.
constexpr int kMostTaps = 4096;

}  // namespace sieve::internal
