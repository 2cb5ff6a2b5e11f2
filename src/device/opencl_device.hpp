#pragma once
// A device of OpenCL that runs steps of a chain.

#include <memory>
#include <mutex>
#include <vector>

#include "device/launch.hpp"
#include "device/opencl.hpp"
#include "device/programs.hpp"
#include "sieve/run/device.hpp"

namespace sieve::internal::device {

// As windows.cl has it.
struct Place {
  cl_int width, rows, first, height, border;
  cl_float fill;
};

class OpenClDevice : public Device {
 public:
  // `memory`: bytes that may be used, 0 for three quarters of what there is.
  OpenClDevice(const Found& found, std::uint64_t memory);
  std::string name() const override { return name_; }
  bool takes(const Step& step, const Shape& in) const override;
  DeviceFigures run(std::span<const Step> steps, const ConstView& in, const View& out, bool figures) override;

  // Bytes a second up, down and by a copy on the device, for so many bytes; of a median of five.
  struct Transfers {
    double up, down, copy;
  };
  Transfers transfers(std::size_t bytes);

 private:
  friend class StripRun;
  Buffer buffer(std::size_t bytes, cl_mem_flags flags = CL_MEM_READ_WRITE) const;
  // Samples that a group shares.
  std::size_t tile_samples(const Launch& l) const;
  // Weights, or the numbers of a text.
  Buffer constants(std::span<const float> numbers) const;

  std::string name_;
  cl_device_id device_;
  Context context_;
  Queue queue_;
  std::unique_ptr<Programs> programs_;
  std::size_t memory_, largest_, local_, constants_, group_;
  std::size_t across_, down_;  // work items of a group
  std::size_t wide_;           // samples of an item that takes several
  std::timed_mutex mutex_;     // one run at a time
};

}  // namespace sieve::internal::device
