// Texts that people write, and those that files carry: chains, kernels, recipes, records, curves, windows and
// distributions, by the first byte. A chain that is read must say itself again.

#include <cstddef>
#include <cstdint>
#include <cstdlib>
#include <string>

#include "sieve/sieve.hpp"

namespace {

void say_again(const sieve::Chain& chain) {
  const std::string text = chain.text(true);
  if (sieve::Chain::parse(text).text(true) != text) std::abort();
  if (sieve::Chain::parse(sieve::recipe_words(sieve::recipe_text(chain), "fuzz.toml")).text(true) != text) std::abort();
  if (sieve::chain_text_of_record(sieve::record_of(chain)) != text) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  if (size == 0) return 0;
  const std::string text(reinterpret_cast<const char*>(data + 1), size - 1);
  sieve::Chain chain;
  try {
    switch (data[0] % 8) {
      case 0:
        chain = sieve::Chain::parse(text);
        break;
      case 1:
        (void)sieve::Kernel::parse(text, {{}, [&](const std::string&) { return text; }});
        return 0;
      case 2:
        chain = sieve::Chain::parse(sieve::recipe_words(text, "fuzz.toml"));
        break;
      case 3:
        chain = sieve::Chain::parse(sieve::chain_text_of_record(text));
        break;
      case 4:
        (void)sieve::CurvePoints::parse(text);
        return 0;
      case 5:
        (void)sieve::Footprint::parse(text);
        return 0;
      case 6:
        (void)sieve::LevelDistribution::parse(text);
        return 0;
      default:
        chain = sieve::Chain::parse("notch points=" + text);
    }
  } catch (const sieve::Error&) {
    return 0;
  }
  say_again(chain);
  return 0;
}
