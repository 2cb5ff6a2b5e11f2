#pragma once
/// Plain definitions of denoisers.

#include <functional>

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// Chambolle's projection for sum |grad u| + 1 / (2 weight) sum (u - in)^2: p <- (p + g / 8) / (1 + |g| / 8) with g =
/// grad (div p + in / weight). Samples that are not finite count as 0 and stay.
[[nodiscard]] Image total_variation(const ConstView& in, double weight, int iterations, bool together);
/// sum |grad u| + 1 / (2 weight) sum (u - f)^2.
[[nodiscard]] double total_variation_objective(const ConstView& u, const ConstView& f, double weight, bool together);
/// As struct NonlocalMeans says, patch by patch.
[[nodiscard]] Image nonlocal_means(const ConstView& in, int patch, int search, double strength, double noise,
                                   Border border);
/// One pass of block matching, as Dabov, Foi, Katkovnik and Egiazarian (2007) have it, but for the spread of groups.
/// All numbers of samples 0..1.
struct BlockGroups {
  int side = 8;          ///< of the blocks
  int most = 16;         ///< blocks to a group; the power of two up to it is used in a pass
  int search = 19;       ///< a match lies so far away at most
  int step = 4;          ///< from one reference to the next, and the last place where a block fits
  double unlike = 0;     ///< blocks of that mean squared difference and more do not match
  double alike = 0;      ///< where at least `most` are below that: the reference first, then of these
                         ///< those of the smallest fractional part of dx / p + dy / p^2, p^3 = p + 1; of four and
                         ///< more of these a slope is taken out, and put back as far as the noise does not explain it
  bool sloping = false;  ///< `alike` by what is left when the slope from the block on one side (as far away as a side
                         ///< or the search) to that on the other has been added to the reference
  double hard = 2.7;     ///< coefficients up to so many noise deviations become 0, but for the mean
};
/// The variance of the noise in every number of the cosine transform of blocks of 8x8, row by row, for each plane: the
/// channel of a gray picture, or the luma and the two differences of colors.
using BlockNoisePowers = std::vector<std::vector<double>>;
/// White noise in all planes, or as struct BlockMatching says that it is measured: in flat parts, or all over a picture
/// of noise.
[[nodiscard]] BlockNoisePowers white_noise_powers(int planes, double deviation);
[[nodiscard]] BlockNoisePowers noise_powers(const ConstView& in, bool flat_parts);
/// A round by singular values (Gu, Zhang, Zuo and Feng, 2014), as struct BlockMatching has it.
struct SingularRound {
  BlockGroups groups;   ///< `most` need not be a power of two; `alike` and `hard` mean nothing
  double feedback = 0;  ///< share of what was taken away that is given back
};
/// Two passes over the channels, the second guided by the first: groups found in the first channel by sums of squared
/// differences rounded to 13 bits, cosine and Hadamard transforms by their formulas, weights 1 / number kept and 1 /
/// sum of squared factors, under a Kaiser window of beta 2. The slope of a spread group is the plane by least squares
/// through the means of its blocks; it stays where the whole plane has more than 1.5 times the deviations that a number
/// must have, or times s / (s + 10 power) with s that of the guide's slope. Then the rounds: in the first, half of the
/// noise is left, in later ones 0.56 times what the samples that were taken away do not explain. Three channels as a
/// luma and two differences, orthonormal. Alpha and samples that are not finite stay; these count as 0.
[[nodiscard]] Image block_matching(const ConstView& in, const BlockNoisePowers& noise, const BlockGroups& first,
                                   const BlockGroups& second, const std::vector<SingularRound>& rounds = {});
/// The setting, of several in rising order, with the least of Stein's unbiased estimate of the squared error for white
/// noise of that deviation, and what a parabola over its logarithm says between its neighbors, to the nearest power
/// of 1.02. `run` denoises a part at a place with a setting. The parts: 96 pixels a side or the whole, spread evenly,
/// as many across as fit up to 2 (4 where only one fits down) and down up to 4 in all. The divergence from a second run
/// on the part plus or minus 0.03 deviations at random (a stream of seed 77, number 4 part + channel, at 96 y + x: less
/// than one half is minus). Source: Ramani, Blu and Unser, IEEE Trans. Image Processing 17, 2008.
[[nodiscard]] double least_risk_setting(
    const ConstView& in, double noise, const std::vector<double>& settings,
    const std::function<Image(const ConstView& part, const Rectangle& place, double setting)>& run);
/// The mean weighted by distance and difference, over the square window, the border as given.
[[nodiscard]] Image bilateral(const ConstView& in, double sigma, int radius, double range, Border border);
/// He, Sun and Tang (2013), equations 5 to 8, window by window.
[[nodiscard]] Image guided(const ConstView& in, const ConstView& guide, int radius, double strength, Border border);
/// Perona and Malik (1990), equation 7.
[[nodiscard]] Image diffusion(const ConstView& in, int iterations, double rate,
                              const std::function<double(double)>& conductance);
/// mean + max(0, var - noise^2) / max(var, noise^2) (v - mean), window by window.
[[nodiscard]] Image adaptive_wiener(const ConstView& in, int radius, double noise, Border border);
/// mean + max(0, 1 - speckle^2 mean^2 / var) (v - mean), window by window.
[[nodiscard]] Image lee(const ConstView& in, int radius, double speckle, Border border);

}  // namespace reference
}  // namespace sieve
