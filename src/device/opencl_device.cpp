#include "device/opencl_device.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>

#include "device/cut.hpp"
#include "device/strip_run.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal::device {

OpenClDevice::OpenClDevice(const Found& found, std::uint64_t memory)
    : name_(text_of(found.device, CL_DEVICE_NAME)), device_(found.device) {
  const auto all = number_of<cl_ulong>(device_, CL_DEVICE_GLOBAL_MEM_SIZE);
  memory_ = memory > 0 ? std::min<std::uint64_t>(memory, all) : all / 4 * 3;
  largest_ = number_of<cl_ulong>(device_, CL_DEVICE_MAX_MEM_ALLOC_SIZE);
  local_ = number_of<cl_ulong>(device_, CL_DEVICE_LOCAL_MEM_SIZE);
  constants_ = number_of<cl_ulong>(device_, CL_DEVICE_MAX_CONSTANT_BUFFER_SIZE);
  group_ = number_of<std::size_t>(device_, CL_DEVICE_MAX_WORK_GROUP_SIZE);
  wide_ = static_cast<std::size_t>(vectors(device_));
  across_ = wide_ > 1 ? 4 : 32;
  down_ = 4;
  if (group_ < across_ * down_) across_ = down_ = 1;
  cl_int code = CL_SUCCESS;
  const std::array<cl_context_properties, 3> properties = {CL_CONTEXT_PLATFORM,
                                                           reinterpret_cast<cl_context_properties>(found.platform), 0};
  context_ = Context(clCreateContext(properties.data(), 1, &device_, nullptr, nullptr, &code));
  check(code, "open the device");
  programs_ = std::make_unique<Programs>(context_.get(), device_);
}

OpenClDevice::~OpenClDevice() = default;

Lane& OpenClDevice::lane(std::size_t number) {
  if (!lanes_[number]) lanes_[number] = std::make_unique<Lane>(*this);
  return *lanes_[number];
}

std::unique_lock<Turns> OpenClDevice::alone() {
  std::unique_lock lock(turns_);
  launched_.clear();
  operations_ = 0;
  return lock;
}

Queue OpenClDevice::queue() const {
  cl_int code = CL_SUCCESS;
  Queue q(clCreateCommandQueue(context_.get(), device_, CL_QUEUE_PROFILING_ENABLE, &code));
  check(code, "make a queue");
  return q;
}

Buffer OpenClDevice::buffer(std::size_t bytes) const {
  cl_int code = CL_SUCCESS;
  Buffer b(clCreateBuffer(context_.get(), CL_MEM_READ_WRITE, std::max<std::size_t>(bytes, 4), nullptr, &code));
  check(code, "get memory");
  return b;
}

Buffer OpenClDevice::constants(std::vector<float> numbers) const {
  if (numbers.empty()) numbers = {0};
  cl_int code = CL_SUCCESS;
  Buffer b(clCreateBuffer(context_.get(), CL_MEM_READ_ONLY | CL_MEM_COPY_HOST_PTR, numbers.size() * sizeof(float),
                          numbers.data(), &code));
  check(code, "get memory");
  return b;
}

BuiltKernel OpenClDevice::kernel(const std::string& source, const std::string& options, const char* name) {
  return programs_->kernel(source, options, name);
}

bool OpenClDevice::takes(const Step& step, const Shape& in) const {
  const Shape colors{in.width, in.height, in.color_channels()};
  const auto work = work_of(step, colors);
  if (!work) return false;
  // Alpha stays at home, where it is copied: a result of other sides would need it sampled.
  const Shape out = step.about->result_shape(step.fields.get(), in);
  if (in.has_alpha() && (out.width != in.width || out.height != in.height)) return false;
  if (work->point && work->point->numbers.size() > most_numbers()) return false;
  if (!std::all_of(work->passes.begin(), work->passes.end(), [&](const Pass& p) { return fits(p); })) return false;
  // What needs the whole picture at once must find room for it.
  return work->reach < Work::kWhole ||
         (static_cast<double>(colors.samples() * sizeof(float)) * (1 + work->buffers) <= static_cast<double>(memory_) &&
          colors.samples() * sizeof(float) <= largest_);
}

std::size_t OpenClDevice::tile_samples(const Pass& p) const {
  if (p.tile_across < 0) return 0;
  const std::size_t wide = across_ * (p.several ? wide_ : 1), high = down_ * (p.several ? kHigh : 1),
                    tile = (wide + static_cast<std::size_t>(p.tile_across)) *
                           (high + static_cast<std::size_t>(p.tile_down)) * static_cast<std::size_t>(p.tile_planes);
  // Whole vectors fit behind the tile, and behind each row of the strip.
  return p.strip_across < 0 ? tile
                            : tile + 2 * wide_ + high * (wide + static_cast<std::size_t>(p.strip_across) + wide_);
}

bool OpenClDevice::fits(const Pass& p) const {
  return tile_samples(p) * sizeof(float) <= local_ && p.numbers.size() <= most_numbers() &&
         static_cast<std::size_t>(p.group) * static_cast<std::size_t>(p.group) <= group_;
}

void OpenClDevice::wait_for_room(double operations) {
  while (!launched_.empty() && operations_ + operations > most_at_once()) {
    cl_event first = launched_.front().event.get();
    check(clWaitForEvents(1, &first), "run a kernel");
    operations_ -= launched_.front().operations;
    launched_.pop_front();
    checkpoint();
  }
}

void OpenClDevice::under_way(Event event, double operations) {
  launched_.push_back({std::move(event), operations});
  operations_ += operations;
}

DevicePlan OpenClDevice::plan(std::span<const Step> steps, const Shape& in) const {
  const Cut cut(*this, steps, {in.width, in.height, in.color_channels()}, 0);
  if (cut.rows > 0 || steps.size() == 1) return cut.plan();
  const std::size_t half = steps.size() / 2;
  const Cut before(*this, steps.first(half), cut.in, 0);
  const DevicePlan a = plan(steps.first(half), in), b = plan(steps.subspan(half), before.out);
  return {a.strips + b.strips, a.bytes_up + b.bytes_up, a.bytes_down + b.bytes_down, std::max(a.memory, b.memory)};
}

DeviceFigures OpenClDevice::run(std::span<const Step> steps, const ConstView& in, const View& out, bool figures) {
  const auto lock = alone();
  try {
    return run_cut(steps, in, out, figures);
  } catch (...) {
    // What is under way ends before the picture goes; nothing that failed is used again.
    for (auto& lane : lanes_) lane.reset();
    throw;
  }
}

DeviceFigures OpenClDevice::run_cut(std::span<const Step> steps, const ConstView& in, const View& out, bool figures) {
  const Cut cut(*this, steps, {in.width(), in.height(), in.shape.color_channels()}, in.white_level);
  if (cut.rows > 0) {
    DeviceFigures told = StripRun(*this, cut, in, out, figures).run();
    for (const auto& lane : lanes_) {
      if (lane)
        lane->keep(static_cast<std::size_t>(cut.rows) * (cut.in.samples() / static_cast<std::size_t>(cut.in.height)) *
                   sizeof(float));
    }
    return told;
  }
  if (steps.size() == 1) {
    throw Error(
        fmt::format("device: {}x{} samples need {} MiB of its memory at once: give it more, or a smaller picture",
                    in.width(), in.height(), static_cast<std::size_t>(cut.bytes_a_row * in.height()) >> 20));
  }
  // Together the steps reach too far for strips: half of them first, and the picture comes back between.
  const std::size_t half = steps.size() / 2;
  const Cut before(*this, steps.first(half), cut.in, in.white_level);
  Image between(before.out);
  DeviceFigures told = run_cut(steps.first(half), in, between.view(), figures);
  ConstView then = between.view();
  const Step& last = steps[half - 1];
  then.white_level = last.about->result_white_level(last.fields.get(), before.whites.back());
  const DeviceFigures rest = run_cut(steps.subspan(half), then, out, figures);
  told.count += rest.count;
  told.bytes_up += rest.bytes_up;
  told.bytes_down += rest.bytes_down;
  told.uploads += rest.uploads;
  told.downloads += rest.downloads;
  told.kernels += rest.kernels;
  told.seconds_up += rest.seconds_up;
  told.seconds_kernels += rest.seconds_kernels;
  told.seconds_down += rest.seconds_down;
  told.steps.insert(told.steps.end(), rest.steps.begin(), rest.steps.end());
  return told;
}

OpenClDevice::Transfers OpenClDevice::transfers(std::size_t bytes) {
  const auto lock = alone();
  const Queue queue = this->queue();
  const Buffer a = buffer(bytes), b = buffer(bytes);
  std::vector<float> host(bytes / sizeof(float));
  const auto rate = [&](auto enqueue) {
    std::vector<double> times;
    for (int i = 0; i < 5; ++i) {
      cl_event raw = nullptr;
      check(enqueue(&raw), "move memory");
      const Event event(raw);
      check(clWaitForEvents(1, &raw), "move memory");
      times.push_back(seconds_of(event));
    }
    std::nth_element(times.begin(), times.begin() + 2, times.end());
    return static_cast<double>(bytes) / std::max(times[2], 1e-9);
  };
  Transfers t{};
  t.up = rate([&](cl_event* e) {
    return clEnqueueWriteBuffer(queue.get(), a.get(), CL_TRUE, 0, bytes, host.data(), 0, nullptr, e);
  });
  t.copy = 2 * rate([&](cl_event* e) {
             return clEnqueueCopyBuffer(queue.get(), a.get(), b.get(), 0, 0, bytes, 0, nullptr, e);
           });
  t.down = rate([&](cl_event* e) {
    return clEnqueueReadBuffer(queue.get(), b.get(), CL_TRUE, 0, bytes, host.data(), 0, nullptr, e);
  });
  return t;
}

}  // namespace sieve::internal::device
