#pragma once
// Files as bytes: read within limits, and written whole or not at all.

#include <cstdint>
#include <string>
#include <vector>

#include "io/codec.hpp"
#include "sieve/core/function_ref.hpp"

namespace sieve::io {

// The bytes of a regular file, or with `pipes` also of a named pipe or character device. check_begin gets the first
// bytes before the rest is read, and may throw. Error where the file has more than `limit` bytes or cannot be read.
std::vector<std::uint8_t> read_bytes(const std::string& path, std::uint64_t limit, bool pipes,
                                     FunctionRef<void(const Bytes&)> check_begin);

}  // namespace sieve::io
