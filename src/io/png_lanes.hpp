#pragma once
// Rows of a PNG before and after its prediction (PNG specification, section 9), on SIMD lanes chosen at run time. `n`
// is the bytes of a row, `step` those of a pixel (1, 2, 3, 4, 6 or 8).

#include <cstddef>
#include <cstdint>

namespace sieve::io::lanes {

// So many bytes before a row and behind it may be read, and are 0 or samples; behind one that is written they may be
// overwritten.
inline constexpr std::size_t kAround = 128;

// The filter whose remainder has the fewest bits, by the sum of log2(1 + |byte|): on photographs as good as the entropy
// of the row, and up to 4 % smaller than the sum of |byte|. The bytes before both rows are 0.
int cheapest_filter(const std::uint8_t* row, const std::uint8_t* above, std::size_t n, std::size_t step);

// The row less what that filter predicts.
void remainder(int number, const std::uint8_t* row, const std::uint8_t* above, std::size_t n, std::size_t step,
               std::uint8_t* out);

// Back: `in` begins with the filter's number. `out` shares no byte with it. False for a number that is none.
bool restore_row(const std::uint8_t* in, const std::uint8_t* above, std::size_t n, std::size_t step, std::uint8_t* out);

}  // namespace sieve::io::lanes
