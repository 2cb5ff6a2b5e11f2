#pragma once
/// From and to the caller's own interleaved buffers (RGBRGB...), where integer samples exist.

#include <cstddef>
#include <cstdint>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// How many samples did not fit the integer format and were saturated: lost lights are never silent.
struct [[nodiscard]] Saturation {
  std::size_t below = 0;         ///< samples under 0
  std::size_t above = 0;         ///< samples over 1
  std::size_t not_a_number = 0;  ///< NaN samples, written as 0
  std::size_t total() const { return below + above + not_a_number; }
  /// Those of another part of the picture with these.
  Saturation& operator+=(const Saturation& other) {
    below += other.below;
    above += other.above;
    not_a_number += other.not_a_number;
    return *this;
  }
};

/// Reads a caller's interleaved buffer into a picture: value v becomes v / white_level. Sizes in pixels; `row_stride`
/// in samples from one row to the next (0 means width * channels); `white_level` is the level that means white (255, or
/// 4095 for 12 bits in 16). Float samples are taken as they are. InvalidArgument for a null buffer, a size below 1, a
/// row stride whose size is below width * channels (a negative one is for rows from the bottom up, `samples` being the
/// top row), or a zero white_level. O(samples).
[[nodiscard]] Image from_interleaved(const std::uint8_t* samples, int width, int height, int channels,
                                     std::ptrdiff_t row_stride = 0, std::uint32_t white_level = 255);
/// The same for 16 bits.
[[nodiscard]] Image from_interleaved(const std::uint16_t* samples, int width, int height, int channels,
                                     std::ptrdiff_t row_stride = 0, std::uint32_t white_level = 65535);
/// The same for floats, taken as they are.
[[nodiscard]] Image from_interleaved(const float* samples, int width, int height, int channels,
                                     std::ptrdiff_t row_stride = 0);
/// The same into a picture at hand, whose shape says the sizes. Its white level stays what it is.
void from_interleaved(const std::uint8_t* samples, const View& out, std::ptrdiff_t row_stride = 0,
                      std::uint32_t white_level = 255);
/// The same for 16 bits.
void from_interleaved(const std::uint16_t* samples, const View& out, std::ptrdiff_t row_stride = 0,
                      std::uint32_t white_level = 65535);
/// The same for floats, taken as they are.
void from_interleaved(const float* samples, const View& out, std::ptrdiff_t row_stride = 0);

/// Writes a picture into a caller's interleaved buffer: 0..1 becomes 0..white_level, rounded to nearest (half away
/// from zero) and saturated; tells how many samples were outside. Float buffers get every value as it is. The buffer
/// holds height rows of `row_stride` samples (as in from_interleaved). InvalidArgument as there.
Saturation to_interleaved(const ConstView& in, std::uint8_t* samples, std::ptrdiff_t row_stride = 0,
                          std::uint32_t white_level = 255);
/// The same for 16 bits.
Saturation to_interleaved(const ConstView& in, std::uint16_t* samples, std::ptrdiff_t row_stride = 0,
                          std::uint32_t white_level = 65535);
/// The same for floats: nothing is lost.
void to_interleaved(const ConstView& in, float* samples, std::ptrdiff_t row_stride = 0);

}  // namespace sieve
