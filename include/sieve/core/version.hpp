#pragma once
/// Which Lean Sieve this is.

/// The version of these headers, as numbers to compare and as text. The build takes the project's version from here.
#define SIEVE_VERSION_MAJOR 0
#define SIEVE_VERSION_MINOR 1
#define SIEVE_VERSION_PATCH 0
#define SIEVE_VERSION "0.1.0"

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// The version of the library that is linked, "0.1.0"; SIEVE_VERSION is that of the headers.
[[nodiscard]] const char* version();

/// The SIMD instruction set that this process uses, of those that the library was compiled for: "AVX2". Results have
/// the same bits for one build on one instruction set.
[[nodiscard]] const char* simd_target();

}  // namespace sieve
