#pragma once
// One run of some steps on a device, strip by strip where its memory is short.

#include <memory>
#include <span>
#include <vector>

#include "device/bench.hpp"
#include "device/work.hpp"
#include "sieve/describe/step.hpp"

namespace sieve::internal::device {

class StripRun {
 public:
  // Error where the picture does not fit and cannot be cut.
  StripRun(OpenClDevice& device, std::span<const Step> steps, const ConstView& in, const View& out, bool figures);
  DeviceFigures run();
  // Of the buffer that a strip is brought to.
  std::size_t bytes() const {
    return static_cast<std::size_t>(in_.width()) * static_cast<std::size_t>(rows_) *
           static_cast<std::size_t>(in_.shape.color_channels()) * sizeof(float);
  }

 private:
  // Brings the strip for the rows top..bottom - 1 of the result, works on it, and sends for the result.
  void strip(Lane& lane, int top, int bottom);

  OpenClDevice& device_;
  ConstView in_;
  View out_;
  bool figures_;
  std::vector<Work> works_;
  std::vector<std::uint32_t> whites_;  // of the picture that each step gets
  int reach_ = 0, rows_ = 0;
  DeviceFigures told_;
};

}  // namespace sieve::internal::device
