#pragma once
// Why denoisers go on mirrored beyond the border.

namespace sieve::internal {

inline constexpr const char* kNoisyBorderHelp =
    "what lies beyond the picture; mirror images, and not the edge repeated: repeated samples would look free of noise";

}  // namespace sieve::internal
