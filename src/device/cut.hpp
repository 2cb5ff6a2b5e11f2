#pragma once
// How steps on a picture are cut into strips that fit into a device's memory.

#include <cstdint>
#include <span>
#include <vector>

#include "device/work.hpp"
#include "sieve/describe/step.hpp"
#include "sieve/run/plan.hpp"

namespace sieve::internal::device {

class OpenClDevice;

struct Cut {
  // All of which the device takes; `in` is of color channels.
  Cut(const OpenClDevice& device, std::span<const Step> steps, const Shape& in, std::uint32_t white_level);

  std::vector<Work> works;
  std::vector<std::uint32_t> whites;  // of the picture that each step gets
  Shape in, out;
  int reach = 0;           // rows around those of the result that a strip is brought with
  int rows = 0;            // of a strip with them; 0 where it cannot be cut so that it fits
  double bytes_a_row = 0;  // of all buffers of a strip

  bool whole() const { return rows == in.height; }
  // Rows of the result that a strip is for.
  int body() const { return whole() ? in.height : rows - 2 * reach; }
  DevicePlan plan() const;
};

}  // namespace sieve::internal::device
