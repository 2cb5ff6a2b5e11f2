// One's own operations without ceremony: a function of a sample, of two pictures' samples, of a window. The library
// runs them in parallel and takes care of borders and alpha. Usage: own_operation IN.png OUT.png

#include <cmath>
#include <iostream>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

int main(int argc, char** argv) try {
  if (argc != 3) throw sieve::InvalidArgument("usage: own_operation IN.png OUT.png");
  const sieve::io::Loaded in = sieve::io::read(argv[1]);

  // Of a sample: a soft knee instead of a hard clip.
  const sieve::Image soft =
      sieve::map_samples(in.image, [](float v) { return v < 0.8F ? v : 1 - 0.2F * std::exp(-(v - 0.8F) / 0.2F); });

  // Of a window: the range of the 5x5 neighborhood, a simple measure of local contrast.
  const sieve::Image range =
      sieve::map_windows(sieve::to_gray(soft), 2, sieve::Border::mirror, [](const sieve::Window& w) {
        float low = w(0, 0), high = w(0, 0);
        for (int dy = -2; dy <= 2; ++dy) {
          for (int dx = -2; dx <= 2; ++dx) {
            low = std::min(low, w(dx, dy));
            high = std::max(high, w(dx, dy));
          }
        }
        return high - low;
      });

  // Of two pictures: darken where the contrast is low.
  const sieve::Image out =
      sieve::map_pairs(soft, range, [](float v, float r) { return v * std::min(1.0F, 0.4F + 2 * r); });
  const sieve::io::Written w = sieve::io::write(argv[2], out);
  std::cout << w.saturation.total() << " samples saturated\n";
} catch (const sieve::Error& e) {
  std::cerr << e.what() << '\n';
  return 1;
}
