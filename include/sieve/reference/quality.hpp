#pragma once
/// Plain definitions of what is measured in a picture.

#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/spectral/peaks.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The median of |m * in| over 0.6745 * 6, m the 3x3 mask 1,-2,1/-2,4,-2/1,-2,1 and edge samples repeated; the mean
/// over the color channels. The median of an even number is the lower middle one. It is that of some tiles of 16
/// pixels and a little more to a side. Those of which at most 2 % of the samples are 0 or 1 are put in the order of
/// their means (those that are not finite as 0; equals in reading order) and cut in eight; of each part it is the
/// tenth, but 4 at least, whose neighbors' largest median (2 pixels and more inside of a tile; 0 where nothing is) is
/// least. Where at most a fourth of the tiles is so, it is that of all. Source: Immerkaer, "Fast noise variance
/// estimation", 1996, with the median for the mean.
[[nodiscard]] double noise_level(const ConstView& in);

/// The waves that sieve::find_periodic_noise states, by the sums of the Fourier transform and sorted windows.
[[nodiscard]] std::vector<PeriodicWave> find_periodic_noise(const ConstView& in, int most);

}  // namespace reference
}  // namespace sieve
