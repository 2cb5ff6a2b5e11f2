#include "sieve/core/version.hpp"

namespace sieve {

const char* version() { return SIEVE_VERSION; }

}  // namespace sieve
