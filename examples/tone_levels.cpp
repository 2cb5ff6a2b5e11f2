// Look at the levels first, then choose: exposure verdict, percentiles, and a stretch that fits them.
// Usage: tone_levels IN.png OUT.png

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::BadCall("usage: tone_levels IN.png OUT.png");
  const sieve::io::Loaded in = sieve::io::read(argv[1]);
  const sieve::Exposure before = sieve::exposure(in.image);
  std::cout << "before: " << before.verdict << ", " << before.reason << '\n';

  const auto low = static_cast<float>(sieve::percentile(in.image, 0.01)), high = static_cast<float>(sieve::percentile(in.image, 0.99));
  const sieve::Image out = sieve::Stretch{.low = low, .high = high}(in.image);
  const sieve::Exposure after = sieve::exposure(out);
  std::cout << "after:  " << after.verdict << ", " << after.reason << '\n';

  // Saturation on writing is reported, never silent.
  const sieve::io::Written w = sieve::io::write(argv[2], out);
  std::cout << w.saturation.below << " samples below 0 and " << w.saturation.above << " above 1 were cut off\n";
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
