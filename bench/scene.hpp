#pragma once
// A made-up picture for what packs pictures.

#include <cmath>

#include "measure.hpp"

namespace sieve::bench {

// Smooth shapes, edges and grain, on whole levels: something like a picture.
inline const Image& scene() {
  static const Image image = [] {
    Image out(Shape{3840, 2160, 3}, 255);
    const Image grain = noise(3840, 2160);
    for (int c = 0; c < 3; ++c) {
      for (int y = 0; y < 2160; ++y) {
        for (int x = 0; x < 3840; ++x) {
          const double slope = 0.3 + 0.2 * std::sin(x / 170.0 + c) * std::cos(y / 130.0),
                       disk = std::hypot(x % 480 - 240, y % 360 - 180) < 100 + 20 * c ? 0.2 : 0;
          const double fine = x / 960 % 2 == 0 ? 0.04 * std::sin(x * 0.9) * std::sin(y * 0.7) : 0;
          out.at(x, y, c) = static_cast<float>(
              std::round(255 * (slope + disk + fine + 0.03 * (static_cast<double>(grain.at(x, y)) - 0.5))) / 255);
        }
      }
    }
    return out;
  }();
  return image;
}

}  // namespace sieve::bench
