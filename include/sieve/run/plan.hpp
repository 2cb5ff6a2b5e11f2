#pragma once
/// What an engine is going to do with a chain: which steps become one pass, which run by strips, which need the whole
/// picture, and the memory of each.

#include <cstddef>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

/// How the steps of a pass run. The bits of the result do not depend on it.
enum class Way {
  rows,    ///< point filters alone: one pass over rows that stay in the first-level cache
  strips,  ///< window and point filters: a strip goes through all of them before the next one
  whole,   ///< one filter on the whole picture
  device,  ///< on a device: its samples agree to rounding
};

/// What some steps are going to take on a device.
struct DevicePlan {
  int strips = 1;              ///< uploads, and downloads
  std::size_t bytes_up = 0;    ///< from the picture to the device, the rims of strips too
  std::size_t bytes_down = 0;  ///< and back
  std::size_t memory = 0;      ///< of the device, at once
};

/// Some neighboring steps that run together.
struct PlannedPass {
  Way way = Way::whole;
  std::size_t first = 0, count = 0;  ///< its steps, counted from 0
  bool measures = false;             ///< its first step measures the whole picture before the pass
  bool along = false;                ///< and does so while the pass before writes it, since it needs its range alone
  std::size_t looked_up = 0;         ///< curves at its start that become one table, since the picture has levels
  std::size_t bytes = 0;             ///< memory that its own work takes, without its input and its result
  std::size_t result_bytes = 0;      ///< of a picture between it and the next pass; 0 where the result goes into `out`
  std::string why;                   ///< for a whole picture: why not by strips
  DevicePlan device = {};            ///< for steps on a device
};

/// What a run is going to do.
struct Plan {
  std::vector<std::string> steps;   ///< each as text
  std::vector<PlannedPass> passes;  ///< in the order in which they run
  std::size_t bytes = 0;            ///< the most memory at once, beyond source and result
  Rectangle needs;                  ///< the part of the source that is read

  /// In lines for people: a pass a line, its steps, its way and its memory; then the sum.
  [[nodiscard]] std::string text() const;
};

}  // namespace sieve
