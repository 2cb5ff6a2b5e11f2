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
