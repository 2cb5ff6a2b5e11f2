#pragma once
// From a transfer function to a filtered picture, and to the pictures that explain it.

#include <functional>
#include <vector>

#include "sieve/describe/stage.hpp"
#include "sieve/spectral/frequency.hpp"

namespace sieve::internal {

// The gains of one column of frequencies (fx, fy[i]), one for each fy; and what makes that function for the fy of a
// picture.
using ColumnGain = std::function<void(double fx, float* gains)>;
using GainMaker = std::function<ColumnGain(std::vector<float> fy)>;

// The borders that a filter in the frequency domain can have, and the help for that field.
const std::vector<Border>& frequency_borders();
inline constexpr const char* kFrequencyBorderHelp =
    "how the picture goes on for the transform; mirror images, and not the edge repeated, since they leave no jump";

// Every color channel filtered; alpha copied. `even`: the gain is the same for (fx, fy) and (-fx, fy).
void run_gains(const ConstView& in, const View& out, Border border, bool even, const GainMaker& gain);

// The transfer function that is asked point by point.
GainMaker by_points(std::function<double(double, double)> gain);

// Spectrum before, transfer function, spectrum after, and the signed difference, where ringing shows.
std::vector<Stage> frequency_stages(const ConstView& in, const Image& result,
                                    const std::function<double(double, double)>& gain);

}  // namespace sieve::internal
