#pragma once
/// What an engine needs to know of a device beside the processors. LeanSieve::device has one, on OpenCL; the engine
/// takes any.

#include <span>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"
#include "sieve/describe/step.hpp"
#include "sieve/run/plan.hpp"
#include "sieve/run/report.hpp"

namespace SIEVE_EXPORT sieve {

/// A device that can run steps of a chain. One may serve several engines and threads.
class Device {
 public:
  virtual ~Device();
  /// As people know it.
  virtual std::string name() const = 0;
  /// True where it can run that step on a picture of that shape as it stands: one that finds something out by itself
  /// only where the device can find it out, too.
  virtual bool takes(const Step& step, const Shape& in) const = 0;
  /// What running steps, all of which it takes, on a picture of that shape would take; nothing known where it says
  /// nothing.
  virtual DevicePlan plan(std::span<const Step> steps, const Shape& in) const;
  /// Runs steps, all of which it takes: one upload, one download, strip by strip where memory is short. `figures`: of
  /// every step's result, too. Error where the device fails, with `out` partly written; Canceled after a stop.
  virtual DeviceFigures run(std::span<const Step> steps, const ConstView& in, const View& out, bool figures) = 0;
};

}  // namespace sieve
