#pragma once
/// Denoising by groups of like blocks.

#include <optional>
#include <span>
#include <string>
#include <utility>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How much work BlockMatching does.
enum class BlockEffort {
  fast,    ///< a reference block every 6 pixels, searched for 14 pixels around: less than half the time
  normal,  ///< every 4 pixels, 19 pixels around, 16 blocks to a group, 32 in strong noise
  high     ///< every 2 pixels, 32 blocks to a group in the second pass: about five times the time
};
template <>
struct ChoiceNames<BlockEffort> {
  static std::span<const std::pair<const char*, BlockEffort>> all();
};

/// Block matching: blocks that are like a reference block are stacked, transformed together (cosine within the block,
/// Hadamard through the stack), and what is small against the noise is set to 0, but for the mean of a group; every
/// block goes back to its place with a weight, and places that several blocks cover get their weighted mean. A second
/// pass finds its groups in the result of the first and weighs every coefficient as Wiener's filter does, with that
/// result as the signal. Where very many blocks are alike within the noise, a group takes those that lie spread out:
/// the nearest would be those that overlap, with the same noise. Color is taken apart into a luma and two differences
/// of equal noise, and groups are found in the luma alone. The noise should be even and white (for photon noise put
/// anscombe and inverse_anscombe around it). Sources: Dabov, Foi, Katkovnik and Egiazarian, "Image denoising by sparse
/// 3-D transform-domain collaborative filtering", IEEE Trans. Image Processing 16, 2007; Lebrun, "An analysis and
/// implementation of the BM3D image denoising method", Image Processing On Line 2, 2012. Blocks lie within the picture;
/// one smaller than a block is mirrored. Samples that are not finite are replaced for the work and put back. O(pixels /
/// step^2 * search^2 * block^2).
struct BlockMatching {
  std::optional<float> noise = {};           ///< standard deviation of the noise, 0 to 1; auto: estimated
  BlockEffort effort = BlockEffort::normal;  ///< sets what is left to itself below
  std::optional<int> block = {};             ///< side of the blocks in pixels, 4 to 16; auto: 8
  std::optional<int> group = {};   ///< most blocks to a group, 1 to 32; a power of two is used; auto: by effort
  std::optional<int> search = {};  ///< half-width of the window that is searched, 1 to 50; auto: by effort
  std::optional<int> step = {};    ///< pixels from one reference block to the next, 1 to 16; auto: by effort

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<BlockMatching>& d);
};

}  // namespace sieve
