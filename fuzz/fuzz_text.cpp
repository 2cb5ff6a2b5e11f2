// Texts that people write: chains, kernels and recipes, by the first byte.

#include <cstddef>
#include <cstdint>
#include <string>

#include "sieve/sieve.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  const std::string text(reinterpret_cast<const char*>(data + 1), size - 1);
  try {
    switch (data[0] % 3) {
      case 0:
        (void)sieve::Chain::parse(text);
        break;
      case 1:
        (void)sieve::Kernel::parse(text, {{}, [&](const std::string&) { return text; }});
        break;
      default:
        (void)sieve::recipe_words(text, "fuzz.toml");
    }
  } catch (const sieve::Error&) {
  }
  return 0;
}
