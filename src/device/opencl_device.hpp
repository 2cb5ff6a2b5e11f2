#pragma once
// A device of OpenCL that runs steps of a chain.

#include <algorithm>
#include <array>
#include <cstdint>
#include <deque>
#include <memory>
#include <mutex>
#include <vector>

#include "device/opencl.hpp"
#include "device/pass.hpp"
#include "device/programs.hpp"
#include "device/turns.hpp"
#include "sieve/run/device.hpp"

namespace sieve::internal::device {

class Lane;

class OpenClDevice : public Device {
 public:
  // `memory`: bytes that may be used, 0 for three quarters of what there is.
  OpenClDevice(const Found& found, std::uint64_t memory);
  ~OpenClDevice() override;
  std::string name() const override { return name_; }
  bool takes(const Step& step, const Shape& in) const override;
  DevicePlan plan(std::span<const Step> steps, const Shape& in) const override;
  DeviceFigures run(std::span<const Step> steps, const ConstView& in, const View& out, bool figures) override;

  // Bytes a second up, down and by a copy on the device, for so many bytes; of a median of five.
  struct Transfers {
    double up, down, copy;
  };
  Transfers transfers(std::size_t bytes);

  // Queues with their buffers, two of them, kept from run to run while pictures are of one size.
  Lane& lane(std::size_t number);

  // Waits until nobody else works here; a stop may come meanwhile.
  std::unique_lock<Turns> alone();

  Queue queue() const;
  Buffer buffer(std::size_t bytes) const;
  // Numbers that kernels only read.
  Buffer constants(std::vector<float> numbers) const;
  BuiltKernel kernel(const std::string& source, const std::string& options, const char* name);
  // Bytes that may be used, and of one buffer.
  std::size_t memory() const { return memory_; }
  std::size_t largest() const { return largest_; }
  // Numbers that a kernel may have in constant memory.
  std::size_t most_numbers() const { return constants_ / sizeof(float); }
  // Work items of a group: across, down; of one that adds up.
  std::size_t across() const { return across_; }
  std::size_t down() const { return down_; }
  std::size_t adding() const { return wide_ > 1 ? 1 : std::min<std::size_t>(group_, 64); }
  std::size_t of_points() const { return std::min<std::size_t>(256, group_); }
  // Samples of an item that takes several, and its rows, as common.cl has them.
  std::size_t wide() const { return wide_; }
  static constexpr std::size_t kHigh = 4;
  // Samples that a group shares in a pass.
  std::size_t tile_samples(const Pass& pass) const;
  bool fits(const Pass& pass) const;

  // Waits until less than so many operations are under way, then notes more of them.
  void wait_for_room(double operations);
  void under_way(Event event, double operations);
  // More than that are not launched at once: a twentieth of a second of a processor that stands in for a card, less of
  // a card, which needs many groups to be busy.
  double most_at_once() const { return wide_ > 1 ? 2.5e8 : 1e10; }

 private:
  // While nobody else works here: in several turns where all at once cannot be cut into strips that fit.
  DeviceFigures run_cut(std::span<const Step> steps, const ConstView& in, const View& out, bool figures);

  std::string name_;
  cl_device_id device_;
  Context context_;
  std::unique_ptr<Programs> programs_;
  std::size_t memory_, largest_, local_, constants_, group_;
  std::size_t across_, down_, wide_;
  Turns turns_;
  std::array<std::unique_ptr<Lane>, 2> lanes_;
  struct Launched {
    Event event;
    double operations;
  };
  std::deque<Launched> launched_;
  double operations_ = 0;
};

}  // namespace sieve::internal::device
