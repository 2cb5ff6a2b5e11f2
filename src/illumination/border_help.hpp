#pragma once
// Why guesses of the light go on mirrored beyond the border.

namespace sieve::internal {

inline constexpr const char* kWideBorderHelp =
    "what lies beyond the picture; mirror images, and not the edge repeated: one row must not stand for all within a "
    "wide blur's reach";

}  // namespace sieve::internal
