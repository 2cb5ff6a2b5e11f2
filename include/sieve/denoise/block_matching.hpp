#pragma once
/// Denoising by groups of like blocks.

#include <optional>
#include <span>
#include <string>
#include <utility>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// What BlockMatching does with a group.
enum class BlockTransform {
  cosine,   ///< a cosine transform within the blocks and a Hadamard transform through the stack
  singular  ///< goes on from that: the group as a matrix, whose singular values are shrunk, a few rounds of it
};
template <>
struct ChoiceNames<BlockTransform> {
  static std::span<const std::pair<const char*, BlockTransform>> all();
};

/// How much work BlockMatching does.
enum class BlockEffort {
  fast,    ///< a reference block every 8 pixels, in the second pass 7, 15 pixels around; with by=singular one round
  normal,  ///< every 4 pixels, 15 around (19 in the first pass in strong noise, above 35/255), 16 blocks to a group, 32
           ///< in strong noise; with by=singular two rounds
  high     ///< every 2 pixels, 19 around, 32 blocks to a group in the second pass; with by=singular three rounds, every
           ///< 4 pixels
};
template <>
struct ChoiceNames<BlockEffort> {
  static std::span<const std::pair<const char*, BlockEffort>> all();
};

/// How strong noise is at every frequency. As text: "auto", "white", "measured" or the name of a picture file.
class NoiseSpectrum {
 public:
  /// Measured where the strength of the noise is to be estimated, too, and white where that is given.
  NoiseSpectrum() = default;
  /// Equally strong at all frequencies.
  static NoiseSpectrum white() { return NoiseSpectrum(Kind::white, {}); }
  /// As in the flat parts of the picture at hand, for each plane by itself: what went through a camera or a JPEG has
  /// noise that is alike in neighbors, and other noise in its colors than in its light. Where it looks white there, it
  /// is taken for white.
  static NoiseSpectrum measured() { return NoiseSpectrum(Kind::measured, {}); }
  /// As in a picture of the noise alone (around any level: a gray card, a lens cap), of at least 16 by 16 pixels, gray
  /// or with as many color channels as what is denoised.
  static NoiseSpectrum of(SharedImage sample) { return NoiseSpectrum(Kind::sample, std::move(sample)); }

  /// True for the default.
  bool automatic() const { return kind_ == Kind::automatic; }
  /// True where no frequency is told from another.
  bool is_white() const { return kind_ == Kind::white; }
  /// True for measured().
  bool is_measured() const { return kind_ == Kind::measured; }
  /// The picture of the noise; empty where none was given.
  const SharedImage& sample() const { return sample_; }

 private:
  enum class Kind { automatic, white, measured, sample };
  NoiseSpectrum(Kind kind, SharedImage sample) : kind_(kind), sample_(std::move(sample)) {}
  Kind kind_ = Kind::automatic;
  SharedImage sample_;
};
template <>
struct TextValue<NoiseSpectrum> {
  static std::string text(const NoiseSpectrum& s);
  static NoiseSpectrum parse(std::string_view s, const Resources& r);
  static const char* allowed() { return "auto, white, measured or the name of a picture of the noise"; }
};

/// Block matching: blocks that are like a reference block are stacked, transformed together (cosine within the block,
/// Hadamard through the stack), and what is small against the noise is set to 0, but for the mean of a group; every
/// block goes back to its place with a weight, and places that several blocks cover get their weighted mean. A second
/// pass finds its groups in the result of the first and weighs every coefficient as Wiener's filter does, with that
/// result as the signal. Where very many blocks are alike within the noise, a group takes those that lie spread out:
/// the nearest would be those that overlap, with the same noise. In the second pass what the slope of the picture
/// explains of a difference does not count for that. From a group that is spread a slope is taken out, the plane by
/// least squares through the means of its blocks: it stays where the noise does not explain it (above 1.5 times the
/// threshold of other numbers, or in the second pass by the factor s / (s + 10 noise) with s of the first result), so
/// that skies and walls are as even as their light. Color is taken apart into a luma and two differences
/// of equal noise, and groups are found in the luma alone.
///
/// by=singular goes on from the result of both passes. In each round a tenth of what was taken away is given back (a
/// quarter in the first, a fifth in strong noise), groups of 60 to 120 blocks of 6x6 (effort=high: up to 8x8) are found
/// anew, and of each, less its mean block, the singular values s become (s + sqrt(s^2 - 4 c)) / 2, or 0 below 2 sqrt c,
/// with c = 2 sqrt(2 blocks) times the variance of what is left of the noise: the closed form for weights that fall as
/// the value rises. The mean block is drawn toward its own level as James and Stein's estimate has it.
///
/// The noise should be even (for photon noise put anscombe and inverse_anscombe around it). It need not be white: every
/// number of the cosine transform is held against the noise at its own frequency, by the `spectrum`; for singular
/// values they are divided by it first. Measured in flat parts it is the median square, over 0.4549, of each number in
/// blocks of 8x8 side by side: of those with at most 2 % of their samples at exactly 0 or 1 (all, where that is a
/// fourth or less), in every eighth by their mean the tenth, but 8 at least, beside which the numbers other than the
/// mean have the least largest energy. A plane is taken for white, with the power of the highest orders (column and row
/// together 10 to 14), where the middle ones (5 to 7) are less than 1.3 times as large, or where the low ones (1 to 3)
/// have more than the power 2.25 of their ratio: that is texture. Grain coarser than about 2 pixels is not told from
/// the picture.
///
/// Sources: Dabov, Foi, Katkovnik and Egiazarian, "Image denoising by sparse 3-D transform-domain collaborative
/// filtering", IEEE Trans. Image Processing 16, 2007; Lebrun, "An analysis and implementation of the BM3D image
/// denoising method", Image Processing On Line 2, 2012; Gu, Zhang, Zuo and Feng, "Weighted nuclear norm minimization
/// with application to image denoising", CVPR 2014. Blocks lie within the picture; one smaller than a block is
/// mirrored. Samples that are not finite are replaced for the work and put back.
/// O(pixels / step^2 search^2 block^2), with by=singular and pixels / step^2 block^6.
struct BlockMatching {
  std::optional<float> noise = {};             ///< standard deviation of the noise, 0 to 1; auto: estimated
  BlockTransform by = BlockTransform::cosine;  ///< singular: better, in ten times the time (fast) and more
  BlockEffort effort = BlockEffort::normal;    ///< sets what is left to itself below
  NoiseSpectrum spectrum = {};                 ///< of the noise; auto: measured, but white where `noise` is given
  std::optional<int> block = {};  ///< side of the blocks in pixels, 4 to 16; auto: 8, with by=singular 6 to 8
  std::optional<int> group = {};  ///< most blocks to a group, 1 to 150; with by=cosine the power of two up to it and 32
                                  ///< is used; auto: by effort and noise
  std::optional<int> search = {};  ///< half-width of the window that is searched, 1 to 50; auto: by effort
  std::optional<int> step = {};    ///< pixels from one reference block to the next, 1 to 16; auto: by effort

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<BlockMatching>& d);
};

}  // namespace sieve
