#pragma once
// The noise of a picture as block matching reckons with it.

#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::internal {

struct NoiseBlocks;

// The variance of the noise in every number of the cosine transform of blocks, for every plane of a picture.
class BlockNoise {
 public:
  // White noise of that deviation in every plane.
  BlockNoise(int planes, double deviation);
  // As it is in the flat parts of the planes of a picture, where that is not clipped; a plane whose noise might as well
  // be white has white noise.
  static BlockNoise in_flat_parts(const Image& planes, const ConstView& picture);
  // As it is all over planes that hold nothing but noise, around any level.
  static BlockNoise alone(const Image& planes);

  // Of number x, y (columns, rows) in blocks of `side`.
  double power(int plane, int x, int y, int side) const;
  // True where all planes have the same white noise, as nearly as can be told.
  bool white() const;
  // Of the samples of a plane.
  double deviation(int plane) const;
  // The root of the mean variance of all planes, and the same made to be that.
  double deviation() const;
  void set_deviation(double deviation);

 private:
  static constexpr int kSide = 8;
  using Spectrum = std::vector<double>;
  BlockNoise() = default;
  static Spectrum measured(const NoiseBlocks& b, const std::vector<int>& chosen);
  static double mean_of(const Spectrum& s, int first, int last);
  std::vector<Spectrum> planes_;  // kSide x kSide numbers each
};

}  // namespace sieve::internal
