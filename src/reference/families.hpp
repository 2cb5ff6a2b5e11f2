#pragma once
// Each family's filters put their plain definitions into the list.

#include <cmath>

#include "sieve/core/map.hpp"
#include "sieve/describe/numbers.hpp"
#include "sieve/reference/definitions.hpp"

namespace sieve::internal {

// How closely single precision keeps to a definition in double, for samples of size 1: about twice the worst that was
// measured over every setting at its ends, on noise within 0..1 and beyond (tests/parameters.cpp goes through the same
// settings). A definition with another tolerance says why.
constexpr double kExact = 0;       // a sample of the picture, or a double that is rounded once
constexpr double kRounded = 5e-7;  // a few operations a sample; worst: contrast, 2.2e-7
constexpr double kSummed =
    1.5e-6;  // sums over windows, transforms there and back, color matrices; worst: diffusion, 6.7e-7

void define_arithmetic(reference::Definitions& d);
void define_degrade(reference::Definitions& d);
void define_spatial(reference::Definitions& d);
void define_rank(reference::Definitions& d);
void define_tone(reference::Definitions& d);
void define_color(reference::Definitions& d);
void define_spectral(reference::Definitions& d);
void define_lowrank(reference::Definitions& d);
void define_illumination(reference::Definitions& d);
void define_denoise(reference::Definitions& d);
void define_sharpen(reference::Definitions& d);
void define_restore(reference::Definitions& d);
void define_plug_and_play(reference::Definitions& d);
void define_groups(reference::Definitions& d);

// A parameter as the number that formulas take.
inline double number(Real v) { return static_cast<double>(v); }

// work(in with 0 for what is not finite), but what is not finite stays as it is, and so does alpha.
template <class Work>
Image of_finite(const ConstView& in, Work work) {
  Image out = work(map_samples(in, [](float v) { return std::isfinite(v) ? v : 0; }));
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        if (!std::isfinite(in.at(x, y, c))) out.at(x, y, c) = in.at(x, y, c);
      }
    }
  }
  copy_alpha(in, out.view());
  return out;
}

}  // namespace sieve::internal
