#pragma once
// Inner loops of curves and color conversions, on SIMD lanes chosen at run time. What is not finite stays.

#include <cstddef>

#include "sieve/core/attributes.hpp"

namespace sieve::internal::lanes {

void power(const float* in, float exponent, float* out, std::size_t n);
void logarithm(const float* in, float strength, float* out, std::size_t n);
void sigmoid(const float* in, float steepness, float center, float* out, std::size_t n);
// log(v) of v held at `floor` and above (0 or more); NaN counts as the floor.
void natural_log(const float* in, float floor, float* out, std::size_t n);
void exponential(const float* in, float* out, std::size_t n);
void linearize(const float* in, float* out, std::size_t n);
void encode(const float* in, float* out, std::size_t n);

// Linear light to the cube roots of the cone responses, and these to L, a, b; with the inverses of both. Row by row.
struct OklabMatrices {
  float to_cones[9], to_lab[9], from_lab[9], from_cones[9];
};
// The weights of the definition and their inverses, reckoned in double. Shown to LeanSieve::device, a library apart.
SIEVE_EXPORT const OklabMatrices& oklab_matrices();

struct ThreeIn {
  const float *a, *b, *c;
};
struct ThreeOut {
  float *a, *b, *c;
};
void to_oklab(const ThreeIn& rgb, const ThreeOut& lab, std::size_t n);
void from_oklab(const ThreeIn& lab, const ThreeOut& rgb, std::size_t n);
void gray_to_oklab(const float* in, float* out, std::size_t n);
void gray_from_oklab(const float* in, float* out, std::size_t n);
void to_hsv(const ThreeIn& rgb, const ThreeOut& hsv, std::size_t n);
void from_hsv(const ThreeIn& hsv, const ThreeOut& rgb, std::size_t n);

// Turns and scales (a, b) of every color: a' = xx a + xy b, b' = yx a + yy b.
struct ChromaMatrix {
  float xx, xy, yx, yy;
};
void change_chroma(const ThreeIn& rgb, const ChromaMatrix& m, const ThreeOut& out, std::size_t n);

// Keeps the chroma of hues up to `keep` radians from the direction (x, y), none beyond `keep + fade`.
struct HueWindow {
  float x, y, keep, fade;
};
void keep_hue(const ThreeIn& rgb, const HueWindow& w, const ThreeOut& out, std::size_t n);

}  // namespace sieve::internal::lanes
