#pragma once
/// Taking channels out, putting them together, and making gray.

#include <span>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// How a color picture becomes gray.
enum class GrayBy {
  rec709,   ///< luma 0.2126 R + 0.7152 G + 0.0722 B (ITU-R BT.709): screens and web pictures; the default
  rec601,   ///< luma 0.299 R + 0.587 G + 0.114 B (ITU-R BT.601): older video, most textbooks
  rec2020,  ///< luma 0.2627 R + 0.6780 G + 0.0593 B (ITU-R BT.2020)
  average,  ///< the mean of the color channels
  red,      ///< the first channel alone
  green,    ///< the second channel alone
  blue,     ///< the third channel alone
};

/// One channel (0 is the first) as a gray picture. InvalidArgument where there is no such channel. O(pixels).
[[nodiscard]] Image take_channel(const ConstView& in, int channel);
/// A gray picture; alpha is kept. Luma is the weighted sum of the samples as stored. A picture that is gray
/// already comes back as it is. O(pixels).
[[nodiscard]] Image to_gray(const ConstView& in, GrayBy by = GrayBy::rec709);
/// The same into `out`, of 1 channel, or 2 with alpha; a gray picture may be its own result.
void to_gray(const ConstView& in, const View& out, GrayBy by = GrayBy::rec709);
/// Every channel as a gray picture of its own. O(samples).
[[nodiscard]] std::vector<Image> split(const ConstView& in);
/// Gray pictures of one size, 1 to 4 of them, as the channels of one picture. InvalidArgument for other shapes.
/// O(samples).
[[nodiscard]] Image join(std::span<const Image> channels);
/// How much of each channel a luma is made of; together 1.
struct LumaWeights {
  double red, green, blue;
};
/// The weights of red, green and blue that a luma means. InvalidArgument for a way that is no luma.
[[nodiscard]] LumaWeights luma_weights(GrayBy by);

}  // namespace sieve
