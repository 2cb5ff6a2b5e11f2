#pragma once
/// Which Lean Sieve this is.

namespace sieve {

/// The version of the library that is linked, "0.1.0".
const char* version();

}  // namespace sieve
