#include "nested_loops.hpp"

#include <algorithm>
#include <cmath>

namespace sieve::bench {

namespace {

float sample(const Samples& in, int x, int y) {
  x = std::clamp(x, 0, in.width - 1);
  y = std::clamp(y, 0, in.height - 1);
  return in.at[static_cast<std::size_t>(y) * static_cast<std::size_t>(in.width) + static_cast<std::size_t>(x)];
}

float& sample(Samples& out, int x, int y) {
  return out.at[static_cast<std::size_t>(y) * static_cast<std::size_t>(out.width) + static_cast<std::size_t>(x)];
}

}  // namespace

void convolve_by_loops(const Samples& in, const std::vector<float>& kernel, int side, Samples& out) {
  for (int y = 0; y < in.height; ++y) {
    for (int x = 0; x < in.width; ++x) {
      float sum = 0;
      for (int j = 0; j < side; ++j) {
        for (int i = 0; i < side; ++i)
          sum += kernel[static_cast<std::size_t>(j * side + i)] * sample(in, x + side / 2 - i, y + side / 2 - j);
      }
      sample(out, x, y) = sum;
    }
  }
}

void median_by_loops(const Samples& in, int radius, Samples& out) {
  for (int y = 0; y < in.height; ++y) {
    for (int x = 0; x < in.width; ++x) {
      std::vector<float> window;
      for (int j = -radius; j <= radius; ++j) {
        for (int i = -radius; i <= radius; ++i) window.push_back(sample(in, x + i, y + j));
      }
      std::sort(window.begin(), window.end());
      sample(out, x, y) = window[window.size() / 2];
    }
  }
}

void equalize_by_loops(const Samples& in, Samples& out) {
  std::vector<long> counts(256);
  const auto level = [](float v) { return static_cast<std::size_t>(std::clamp(std::lround(255 * v), 0L, 255L)); };
  for (int y = 0; y < in.height; ++y) {
    for (int x = 0; x < in.width; ++x) ++counts[level(sample(in, x, y))];
  }
  std::vector<float> to(256);
  double below = 0;
  for (std::size_t k = 0; k < 256; ++k) {
    below += static_cast<double>(counts[k]);
    to[k] = static_cast<float>(std::round(255 * below / (static_cast<double>(in.width) * in.height)) / 255);
  }
  for (int y = 0; y < in.height; ++y) {
    for (int x = 0; x < in.width; ++x) sample(out, x, y) = to[level(sample(in, x, y))];
  }
}

}  // namespace sieve::bench
