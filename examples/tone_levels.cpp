// Look at the levels first, then choose: exposure verdict, a stretch that fits, equalization with its table, CLAHE, and
// the histogram of another picture.
// Usage: tone_levels IN.png OUT.png [OTHER.png]

#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3 && argc != 4) throw sieve::InvalidArgument("usage: tone_levels IN.png OUT.png [OTHER.png]");
  const sieve::io::Loaded in = sieve::io::read(argv[1]);
  const sieve::Exposure before = sieve::exposure(in.image);
  std::cout << "before: " << sieve::name_of(before.verdict) << ", " << before.reason << '\n';

  const auto low = static_cast<float>(sieve::percentile(in.image, 0.01)),
             high = static_cast<float>(sieve::percentile(in.image, 0.99));
  const sieve::Image out = sieve::Stretch{.low = low, .high = high}(in.image);
  const sieve::Exposure after = sieve::exposure(out);
  std::cout << "after:  " << sieve::name_of(after.verdict) << ", " << after.reason << '\n';

  // Equalization is the table that a textbook draws.
  for (const sieve::LevelRow& r : sieve::level_table(in.image, sieve::luma_channel, 8)) {
    std::cout << "level " << r.level << ": " << r.count << " pixels, cumulative " << r.cumulative << ", becomes "
              << r.mapped << '\n';
  }
  const sieve::Image local = sieve::Clahe{.limit = 2}(in.image);
  std::cout << "mean after CLAHE " << sieve::statistics(local)[0].mean << '\n';
  if (argc == 4) {
    const sieve::Image other = sieve::io::read(argv[3]).image;
    const sieve::Image matched = sieve::Match{.with = other}(in.image);
    std::cout << "mean " << sieve::statistics(matched)[0].mean << " after matching, "
              << sieve::statistics(other)[0].mean << " wanted\n";
  }

  // Saturation on writing is reported, never silent.
  const sieve::io::Written w = sieve::io::write(argv[2], out);
  std::cout << w.saturation.below << " samples below 0 and " << w.saturation.above << " above 1 were cut off\n";
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
