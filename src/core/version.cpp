#include "sieve/core/version.hpp"

namespace sieve {

const char* version() { return LEAN_SIEVE_VERSION; }

}  // namespace sieve
