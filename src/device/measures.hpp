#pragma once
// Figures of planes, measured where they lie.

#include "device/bench.hpp"
#include "sieve/tone/histogram.hpp"

namespace sieve::internal::device {

// The luma of the picture (BT.709).
void run_luma(Bench& bench, const Planes& to);
// One plane in equal bins of low..high, or, by level, a bin for each of so many levels of 0..1.
Histogram bins_on(Bench& bench, const Planes& planes, int plane, int bins, double low, double high, bool by_level);
inline Histogram levels_on(Bench& bench, const Planes& planes, int plane, int levels) {
  return bins_on(bench, planes, plane, levels, 0, 1, true);
}

}  // namespace sieve::internal::device
