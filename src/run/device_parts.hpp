#pragma once
// A chain of which a device runs what it takes, and processors the rest.

#include <span>
#include <string>
#include <vector>

#include "run/schedule.hpp"
#include "sieve/core/function_ref.hpp"
#include "sieve/run/device.hpp"

namespace sieve::internal {

// Runs some steps on processors into `out`, and adds what they tell to the report.
using OnProcessors = FunctionRef<void(std::span<const Step> steps, const ConstView& in, const View& out)>;

struct DeviceParts {
  Device& device;
  bool processors_too;  // where the device fails
  bool figures;
  OnProcessors processors;
  Report& report;
  std::vector<std::string>* notes;  // of the call, for the next step that is reported; may be null

  // The steps one after the other; `out` is of the result's shape.
  void run(const Schedule& schedule, const ConstView& in, const View& out);

 private:
  void run_on_device(std::span<const Step> steps, std::size_t first, const ConstView& in, const View& out);
};

// What such a run is going to do. Steps that find out their settings by themselves are planned with those of a picture
// that is made up.
Plan plan_with_device(const Device& device, const Schedule& schedule, int threads);

}  // namespace sieve::internal
