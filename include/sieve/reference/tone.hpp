#pragma once
/// Plain definitions of point operations, histogram methods and color conversions.

#include <array>
#include <functional>
#include <optional>

#include "sieve/core/attributes.hpp"
#include "sieve/core/border.hpp"
#include "sieve/core/channels.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// low where v < low, high where v > high, else v.
[[nodiscard]] Image clip(const ConstView& in, double low, double high);
/// to_low + (v - low) / (high - low) * (to_high - to_low); low and high measured where they are not given: the
/// samples of rank floor(share * (n - 1)) and ceil((1 - share) * (n - 1)) with share = percent / 100.
[[nodiscard]] Image stretch(const ConstView& in, std::optional<double> low, std::optional<double> high, double to_low,
                            double to_high, double percent);
/// |v|.
[[nodiscard]] Image absolute(const ConstView& in);
/// Weighted sum of the color channels, or one of them.
[[nodiscard]] Image gray(const ConstView& in, GrayBy by);
/// f(v) of every color sample, in double; NaN stays.
[[nodiscard]] Image map_levels(const ConstView& in, const std::function<double(double)>& f);
/// f of every color, in double. A gray picture is taken for three equal channels, and the first of the result kept.
using Triple = std::array<double, 3>;
[[nodiscard]] Image map_colors(const ConstView& in, const std::function<Triple(const Triple&)>& f);

/// The sRGB curve (IEC 61966-2-1) from display-encoded to light and back, turned about the origin for v < 0.
[[nodiscard]] double to_light(double v);
[[nodiscard]] double from_light(double v);
/// Display-encoded RGB to OKLab and back (Ottosson, 2020), with the rows of its matrices scaled to exact sums.
[[nodiscard]] Triple to_oklab(const Triple& rgb);
[[nodiscard]] Triple from_oklab(const Triple& lab);
/// RGB to hue, saturation and value (Smith, 1978) and back; the hue is 0..1.
[[nodiscard]] Triple to_hsv(const Triple& rgb);
[[nodiscard]] Triple from_hsv(const Triple& hsv);
/// A color with another luma and the same hue (Naik and Murthy, 2003): v * t / y where it grows darker, 1 - (1 - v)
/// (1 - t) / (1 - y) where it grows lighter. What a luma lies beyond 0..1 is taken off all channels before, or put on
/// after.
[[nodiscard]] Triple relight(const Triple& rgb, double luma, double to);

/// Level k becomes round((levels - 1) * cumulative(k)); of the luma with hue kept, or of every channel.
[[nodiscard]] Image equalize(const ConstView& in, int levels, bool by_luma);
/// CLAHE: as struct Clahe says, tile by tile, with the clipped counts spread in rounds until nothing is left over.
[[nodiscard]] Image clahe(const ConstView& in, int columns, int rows, double limit, int bins, double strength,
                          bool by_luma);
/// Histogram matching: as struct Match says.
[[nodiscard]] Image match(const ConstView& in, const ConstView& other, bool by_luma, int bins);
/// Matching to the distribution with that quantile function: as struct MatchDistribution says.
[[nodiscard]] Image match_distribution(const ConstView& in, const std::function<double(double)>& quantile, bool by_luma,
                                       int bins);
/// 1 above the level, else 0; without a level by Otsu over all levels (1024 parts of 0..1 for float data).
[[nodiscard]] Image threshold(const ConstView& in, std::optional<double> level);
/// 1 above the mean of the (2 radius + 1) by (2 radius + 1) window less the offset, by more than 1e-6.
[[nodiscard]] Image local_threshold(const ConstView& in, int radius, double offset, Border border);

}  // namespace reference
}  // namespace sieve
