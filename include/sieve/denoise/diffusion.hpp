#pragma once
/// Anisotropic diffusion.

#include <optional>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How the flow falls with the slope g / k.
enum class Conductance {
  exponential,  ///< exp(-(g / k)^2): favors edges of high contrast
  rational,     ///< 1 / (1 + (g / k)^2): favors wide regions
};
template <>
struct ChoiceNames<Conductance> {
  static std::span<const std::pair<const char*, Conductance>> all();
};

/// Anisotropic diffusion: in every iteration each sample moves toward its four neighbors by rate * c(difference) *
/// difference, with a conductance c that falls at edges. No flow across the border. `edge` auto: 0.25 to 4 times the
/// estimated noise deviation, what has the least estimated error in parts of the picture (Stein's estimate, see
/// docs/guide/denoise.md). Source: Perona and Malik, "Scale-space and edge detection using anisotropic diffusion", IEEE
/// Trans. PAMI 12, 1990. O(samples * iterations).
struct Diffusion {
  int iterations = 15;  ///< 1 to 10000
  /// k: differences well above it are kept, 1e-4 to 10; auto: of the least estimated error
  std::optional<float> edge = {};
  Real rate = 0.2F;                                 ///< 0.01 to 0.25: above that it would not be stable
  Conductance conductance = Conductance::rational;  ///< how it falls with the gradient

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Diffusion>& d);
};

}  // namespace sieve
