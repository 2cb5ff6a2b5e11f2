#pragma once
// A chain on a device beside the processors: transfers and kernels apart.

#include "cli/device_use.hpp"
#include "cli/variations.hpp"

namespace sieve::internal::cli {

struct DeviceTiming {
  DeviceArguments device;
  int runs;
  bool json;
  std::string sheet;
};
// Every chain on the same picture, in turns; prints, or draws, and returns the exit code.
int time_on_device(const Session& session, const Variations& chains, const Image& in, const DeviceTiming& o);

}  // namespace sieve::internal::cli
