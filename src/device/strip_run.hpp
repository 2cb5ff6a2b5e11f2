#pragma once
// One run of some steps on a device, strip by strip where its memory is short.

#include "device/bench.hpp"
#include "device/cut.hpp"

namespace sieve::internal::device {

class StripRun {
 public:
  StripRun(OpenClDevice& device, const Cut& cut, const ConstView& in, const View& out, bool figures);
  DeviceFigures run();

 private:
  // Brings the strip for the rows top..bottom - 1 of the result, works on it, and sends for the result.
  void strip(Lane& lane, int top, int bottom);

  OpenClDevice& device_;
  const Cut& cut_;
  ConstView in_;
  View out_;
  bool figures_;
  DeviceFigures told_;
};

}  // namespace sieve::internal::device
