#pragma once
// Times and pictures that all benchmarks share.

#include <algorithm>
#include <chrono>
#include <functional>
#include <vector>

#include "sieve/sieve.hpp"

namespace sieve::bench {

inline double seconds(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

inline double median(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

// A picture of uniform noise.
inline Image noise(int width, int height, int channels = 1) {
  Image image(width, height, channels);
  const View v = image.view();
  parallel_rows(height * channels, static_cast<std::size_t>(width), [&](int first, int last) {
    const RandomStream random(7);
    for (int i = first; i < last; ++i) {
      for (int x = 0; x < width; ++x) {
        v.at(x, i % height, i / height) = static_cast<float>(random.uniform(
            static_cast<std::uint64_t>(i) * static_cast<std::uint64_t>(width) + static_cast<std::uint64_t>(x)));
      }
    }
  });
  return image;
}

// The 3840x2160 picture that all figures are for, and a buffer for its copies.
inline const Image& large() {
  static const Image image = noise(3840, 2160);
  return image;
}

// The same in color.
inline const Image& large_color() {
  static const Image image = noise(3840, 2160, 3);
  return image;
}

}  // namespace sieve::bench
