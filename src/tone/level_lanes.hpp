#pragma once
// Inner loops of everything that goes by levels: bins of samples, tables looked up, on SIMD lanes chosen at run time.

#include <cstddef>
#include <cstdint>

namespace sieve::internal::lanes {

// The bin of every sample: floor((v - low) * scale + offset), at most count - 1; count for v < low, count + 1 for
// v > high, count + 2 for what is not finite. With `exact` as reckoned in double: in single precision first, and anew
// where a sample lies so near the end of a bin that rounding decides.
struct Bins {
  double low, high, scale, offset;
  std::int32_t count;
  bool exact;
};
void bin_numbers(const float* in, const Bins& bins, std::int32_t* out, std::size_t n);

// table[round(v * top)], v cut to 0..1; NaN stays, infinities are cut too.
void look_up_level(const float* in, float top, const float* table, float* out, std::size_t n);

// A curve of straight pieces: p = (v - low) * scale cut to 0..pieces, i = floor(p) (at most pieces - 1), result
// start[i] + (p - i) * rise[i]. NaN stays.
struct Pieces {
  float low, scale;
  std::int32_t pieces;
  const float* start_rise;  // start and rise of the first piece, of the second, ...
};
void look_up_pieces(const float* in, const Pieces& curve, float* out, std::size_t n);

// Luma of three channels.
void luma(const float* red, const float* green, const float* blue, float* out, std::size_t n);

// Gives a color the luma `to` with its hue kept: scaled toward black where it grows darker, its distance to white
// scaled where it grows lighter, so that nothing within 0..1 leaves it. What a luma lies beyond black or white is taken
// off all channels before, or put on them after. Source: Naik and Murthy, "Hue-preserving color image enhancement
// without gamut problem", 2003.
struct Colors {
  const float *red, *green, *blue;
};
struct ColorsOut {
  float *red, *green, *blue;
};
void relight(const Colors& in, const float* luma, const float* to, const ColorsOut& out, std::size_t n, bool stream);

}  // namespace sieve::internal::lanes
