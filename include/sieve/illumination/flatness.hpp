#pragma once
/// How even the light of a picture is.

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// Coefficient of variation (standard deviation over mean) of the local mean: the luma averaged over square windows of
/// 1/16 of the shorter side (at least 3 pixels). 0 for perfectly even light; the scene itself adds to it, so it is to
/// be compared before and after. NaN where the mean is 0 or no sample is finite. O(pixels).
[[nodiscard]] double flatness(const ConstView& in);

}  // namespace sieve
