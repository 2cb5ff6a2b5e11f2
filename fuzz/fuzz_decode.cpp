// SharedImage files of every format, told apart by their content.

#include <cstddef>
#include <cstdint>

#include "sieve/core/error.hpp"
#include "sieve/io.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    (void)sieve::io::decode(data, size, "fuzz", {.pixels = 1 << 16, .file_bytes = 1 << 20});
  } catch (const sieve::Error&) {
  }
  return 0;
}
