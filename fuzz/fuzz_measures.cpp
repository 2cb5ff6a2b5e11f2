// What a picture is measured by, picture and settings out of the bytes: laws that must hold, and the same again to the
// bit.

#include <cstdlib>
#include <cstring>

#include "random_measures.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  const auto figures = [&] {
    fuzz::Bytes bytes({data, size});
    return fuzz::random_measure(bytes);
  };
  try {
    const fuzz::Figures first = figures(), again = figures();
    if (first.size() != again.size() || std::memcmp(first.data(), again.data(), 8 * first.size()) != 0) std::abort();
  } catch (const sieve::InvalidArgument&) {
    // Measures and pictures that do not go together.
  }
  return 0;
}
