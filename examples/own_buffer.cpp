// Filtering where the samples already are: a caller's planar float buffer through views, without a copy and without
// an allocation per call, and an interleaved 8-bit buffer in and out. Usage: own_buffer

#include <iostream>
#include <vector>

#include "sieve/sieve.hpp"

int main() {
  // A planar buffer with a row stride of its own: 640x480 in rows of 700 floats.
  std::vector<float> mine(700 * 480, 0.25F), result(700 * 480);
  const sieve::ConstView in{mine.data(), {640, 480, 1}, 700, 0, 0};
  const sieve::View out{result.data(), {640, 480, 1}, 700, 0};
  const sieve::Box smooth{.radius = 3};
  for (int frame = 0; frame < 10; ++frame) smooth(in, out);
  std::cout << "planar: " << out.at(320, 240) << '\n';

  // Interleaved 8-bit RGB, as cameras give it.
  std::vector<std::uint8_t> rgb(320 * 200 * 3, 200), back(rgb.size());
  const sieve::Image image = sieve::from_interleaved(rgb.data(), 320, 200, 3);
  const sieve::Image brighter = sieve::map_samples(image, [](float v) { return 1.5F * v; });
  const sieve::Saturation lost = sieve::to_interleaved(brighter, back.data());
  std::cout << "interleaved: " << static_cast<int>(back[0]) << ", " << lost.above << " samples above 1\n";
  return out.at(320, 240) == 0.25F && back[0] == 255 && lost.above == rgb.size() ? 0 : 1;
}
