// Packed pictures. In a fuzzing build checksums are not looked at, so that the coders behind them are reached.

#include <cstddef>
#include <cstdint>

#include "sieve/pack.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  try {
    (void)sieve::unpack({data, size}, 1 << 16);
  } catch (const sieve::Error&) {
  }
  return 0;
}
