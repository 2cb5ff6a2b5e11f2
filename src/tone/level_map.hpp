#pragma once
// The work of equalization, from counts to the table of new levels, whoever has counted.

#include <cstdint>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/tone/equalize.hpp"
#include "sieve/tone/histogram.hpp"

namespace sieve::internal {

// The number of levels that is meant, for a picture of that white level.
inline int levels_of(std::uint32_t white_level, int wished) {
  return wished > 0 ? wished : white_level > 0 ? static_cast<int>(white_level) + 1 : 256;
}

// From a histogram with a bin a level; what lies beyond counts with the ends. Both are shown to LeanSieve::device, a
// library apart.
SIEVE_EXPORT std::vector<LevelRow> level_rows(Histogram h);
// What each level becomes, 0..1. Notes how many fell together.
SIEVE_EXPORT std::vector<float> level_map(const std::vector<LevelRow>& table);

}  // namespace sieve::internal
