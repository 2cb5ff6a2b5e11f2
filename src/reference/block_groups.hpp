#pragma once
// Blocks of planes and groups of them, for the plain definition of block matching.

#include <cstddef>
#include <vector>

#include "sieve/reference/denoise.hpp"

namespace sieve::internal::plain_blocks {

using Numbers = std::vector<double>;

inline std::size_t at(int i) { return static_cast<std::size_t>(i); }

struct Planes {
  int width, height;
  std::vector<Numbers> samples;  // of each channel
  double get(std::size_t c, int x, int y) const { return samples[c][at(y * width + x)]; }
};

struct Place {
  double distance;
  int x, y;
};

// The color planes, mirrored up to a width and height; samples that are not finite as 0. Three as a luma and two
// differences.
Planes planes_of(const ConstView& in, int width, int height);
// Luma and differences from channels; with `back` the other way.
void turn_colors(Planes& p, bool back);

// The first samples of the reference blocks along one direction.
std::vector<int> references(int whole, int side, int step);
Numbers block_of(const Planes& p, std::size_t c, const Place& m, int side);

// How much a plane rises per pixel.
struct Slope {
  double across = 0, down = 0;
};
// Blocks that are alike, the one that was asked for first.
struct Group {
  std::vector<Place> blocks;
  bool spread;
};
Group group_of(const Planes& p, const Place& own, const reference::BlockGroups& g, bool power_of_two);

// The cosine transform along rows and columns of a block; `back` for the inverse.
Numbers transformed(const Numbers& block, int side, bool back);
// The power of the noise in number k of blocks of a side: at its frequency, on a line between those of blocks of 8.
double power_at(const Numbers& of_eight, int k, int side);

// A round by singular values: what was made of the noisy planes, better.
Planes singular_round(const Planes& noisy, const Planes& made, const reference::BlockNoisePowers& powers,
                      const reference::SingularRound& r, bool first);

}  // namespace sieve::internal::plain_blocks
