#include "device/opencl_device.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <limits>

#include "sieve/core/watch.hpp"
#include "sieve/describe/description.hpp"

namespace sieve::internal::device {

namespace {

cl_int number_of(Border b) {
  switch (b) {
    case Border::edge:
      return 0;
    case Border::mirror:
      return 1;
    case Border::reflect:
      return 2;
    case Border::wrap:
      return 3;
    default:
      return 4;  // zero, or a fill
  }
}

double seconds_of(const Event& event) {
  cl_ulong from = 0, to = 0;
  check(clGetEventProfilingInfo(event.get(), CL_PROFILING_COMMAND_START, sizeof from, &from, nullptr), "read a clock");
  check(clGetEventProfilingInfo(event.get(), CL_PROFILING_COMMAND_END, sizeof to, &to, nullptr), "read a clock");
  return static_cast<double>(to - from) * 1e-9;
}

template <class T>
void set(const Kernel& kernel, cl_uint& at, const T& value) {
  check(clSetKernelArg(kernel.get(), at++, sizeof value, &value), "set an argument of a kernel");
}

constexpr std::size_t kHigh = 4;  // rows of an item that takes several samples, as windows.cl has it

}  // namespace

OpenClDevice::OpenClDevice(const Found& found, std::uint64_t memory)
    : name_(text_of(found.device, CL_DEVICE_NAME)), device_(found.device) {
  const auto all = internal::device::number_of<cl_ulong>(device_, CL_DEVICE_GLOBAL_MEM_SIZE);
  memory_ = memory > 0 ? std::min<std::uint64_t>(memory, all) : all / 4 * 3;
  largest_ = internal::device::number_of<cl_ulong>(device_, CL_DEVICE_MAX_MEM_ALLOC_SIZE);
  local_ = internal::device::number_of<cl_ulong>(device_, CL_DEVICE_LOCAL_MEM_SIZE);
  constants_ = internal::device::number_of<cl_ulong>(device_, CL_DEVICE_MAX_CONSTANT_BUFFER_SIZE);
  group_ = internal::device::number_of<std::size_t>(device_, CL_DEVICE_MAX_WORK_GROUP_SIZE);
  wide_ = static_cast<std::size_t>(vectors(device_));
  across_ = wide_ > 1 ? 4 : 32;
  down_ = 4;
  if (group_ < across_ * down_) across_ = down_ = 1;
  cl_int code = CL_SUCCESS;
  const std::array<cl_context_properties, 3> properties = {CL_CONTEXT_PLATFORM,
                                                           reinterpret_cast<cl_context_properties>(found.platform), 0};
  context_ = Context(clCreateContext(properties.data(), 1, &device_, nullptr, nullptr, &code));
  check(code, "open the device");
  queue_ = Queue(clCreateCommandQueue(context_.get(), device_, CL_QUEUE_PROFILING_ENABLE, &code));
  check(code, "make a queue");
  programs_ = std::make_unique<Programs>(context_.get(), device_);
}

Buffer OpenClDevice::buffer(std::size_t bytes, cl_mem_flags flags) const {
  cl_int code = CL_SUCCESS;
  Buffer b(clCreateBuffer(context_.get(), flags, std::max<std::size_t>(bytes, 4), nullptr, &code));
  check(code, "get memory");
  return b;
}

Buffer OpenClDevice::constants(std::span<const float> numbers) const {
  Buffer b = buffer(numbers.size_bytes(), CL_MEM_READ_ONLY);
  if (!numbers.empty()) {
    check(clEnqueueWriteBuffer(queue_.get(), b.get(), CL_TRUE, 0, numbers.size_bytes(), numbers.data(), 0, nullptr,
                               nullptr),
          "send weights");
  }
  return b;
}

bool OpenClDevice::takes(const Step& step, const Shape& in) const {
  if (step.about->result_shape(step.fields.get(), in) != in || step.about->measures(step.fields.get())) return false;
  const auto launches = launches_of(step);
  if (!launches) return false;
  return std::all_of(launches->begin(), launches->end(), [&](const Launch& l) {
    return tile_samples(l) * sizeof(float) <= local_ && l.numbers.size() * sizeof(float) <= constants_;
  });
}

std::size_t OpenClDevice::tile_samples(const Launch& l) const {
  if (l.tile_across < 0) return 0;
  return (across_ * wide_ + static_cast<std::size_t>(l.tile_across)) *
         (down_ * kHigh + static_cast<std::size_t>(l.tile_down));
}

// One run: strip by strip.
class StripRun {
 public:
  StripRun(OpenClDevice& device, std::span<const Step> steps, const ConstView& in, const View& out, bool figures)
      : device_(device), in_(in), out_(out), figures_(figures), planes_(in.shape.color_channels()) {
    bool by_rows = false;
    for (std::size_t i = 0; i < steps.size(); ++i) {
      std::vector<Launch> launches = launches_of(steps[i]).value();
      for (Launch& l : launches) {
        reach_ += l.reach;
        by_rows = by_rows || (l.reach > 0 && l.border == Border::wrap);
        launches_.push_back(std::move(l));
        step_of_.push_back(i);
      }
    }
    told_.count = steps.size();
    told_.steps.resize(figures ? steps.size() : 0);
    for (StepReport& r : told_.steps) {
      r.figures.low = std::numeric_limits<float>::infinity();
      r.figures.high = -std::numeric_limits<float>::infinity();
    }
    // Input and result at once.
    const std::size_t row = static_cast<std::size_t>(in.width()) * static_cast<std::size_t>(planes_) * sizeof(float);
    rows_ = static_cast<int>(std::min<std::size_t>(
        {static_cast<std::size_t>(in.height()), device.memory_ / 2 / row, device.largest_ / row}));
    if (rows_ < in.height() && (by_rows || rows_ <= 2 * reach_)) {
      throw Error(
          fmt::format("device: {}x{} samples need {} MiB of its memory at once: give it more, or a smaller picture",
                      in.width(), in.height(), 2 * row * static_cast<std::size_t>(in.height()) >> 20));
    }
  }

  DeviceFigures run() {
    const std::size_t bytes = static_cast<std::size_t>(rows_) * static_cast<std::size_t>(in_.width()) *
                              static_cast<std::size_t>(planes_) * sizeof(float);
    from_ = device_.buffer(bytes);
    to_ = device_.buffer(bytes);
    const int body = rows_ < in_.height() ? rows_ - 2 * reach_ : in_.height();
    Progress progress(in_.height());
    for (int top = 0; top < in_.height(); top += body) {
      const int bottom = std::min(in_.height(), top + body);
      strip(top, bottom);
      progress.add(bottom - top);
    }
    for (StepReport& r : told_.steps) {
      if (r.figures.low > r.figures.high) r.figures.low = r.figures.high = 0;
    }
    return std::move(told_);
  }

 private:
  void strip(int top, int bottom) {
    place_.width = in_.width();
    place_.height = in_.height();
    place_.first = std::max(0, top - reach_);
    place_.rows = std::min(in_.height(), bottom + reach_) - place_.first;
    move_rows(place_.first, 0, place_.rows, true);
    for (std::size_t i = 0; i < launches_.size();) {
      checkpoint();
      std::size_t n = 1;
      // Points in a row are one kernel; apart where each is to be reported.
      while (launches_[i].point() && i + n < launches_.size() && launches_[i + n].point() && !figures_) ++n;
      launch(std::span(launches_).subspan(i, n));
      i += n;
      if (figures_ && (i == launches_.size() || step_of_[i] != step_of_[i - 1])) gather(step_of_[i - 1], top, bottom);
    }
    move_rows(top, top - place_.first, bottom - top, false);
  }

  // Rows of all color channels, there or back.
  void move_rows(int row, int at, int count, bool up) {
    const std::ptrdiff_t stride = up ? in_.row_stride : out_.row_stride;
    // Rows that lie the other way round go one by one.
    const int at_once = stride >= in_.width() ? count : 1;
    for (int c = 0; c < planes_; ++c) {
      for (int i = 0; i < count; i += at_once)
        move_part(row + i, c * place_.rows + at + i, c, at_once, static_cast<std::size_t>(stride), up);
    }
    ++(up ? told_.uploads : told_.downloads);
  }
  void move_part(int row, int there, int channel, int count, std::size_t stride, bool up) {
    const std::size_t wide = static_cast<std::size_t>(in_.width()) * sizeof(float);
    const std::size_t pitch = count > 1 ? stride * sizeof(float) : wide;
    const std::size_t device_origin[] = {0, static_cast<std::size_t>(there), 0}, host_origin[] = {0, 0, 0},
                      region[] = {wide, static_cast<std::size_t>(count), 1};
    cl_event raw = nullptr;
    if (up) {
      check(clEnqueueWriteBufferRect(device_.queue_.get(), from_.get(), CL_TRUE, device_origin, host_origin, region,
                                     wide, 0, pitch, 0, in_.row(row, channel), 0, nullptr, &raw),
            "send the picture");
    } else {
      check(clEnqueueReadBufferRect(device_.queue_.get(), from_.get(), CL_TRUE, device_origin, host_origin, region,
                                    wide, 0, pitch, 0, out_.row(row, channel), 0, nullptr, &raw),
            "fetch the result");
    }
    const Event event(raw);
    (up ? told_.seconds_up : told_.seconds_down) += seconds_of(event);
    (up ? told_.bytes_up : told_.bytes_down) += region[0] * region[1];
  }

  void launch(std::span<const Launch> together) {
    const Launch& l = together.front();
    cl_uint at = 0;
    Kernel kernel;
    Buffer numbers;
    std::size_t global[3] = {0, 1, 1}, local[3] = {device_.across_, device_.down_, 1};
    cl_uint dimensions = 3;
    if (l.point()) {
      const cl_ulong count =
          static_cast<cl_ulong>(place_.width) * static_cast<cl_ulong>(place_.rows) * static_cast<cl_ulong>(planes_);
      kernel = device_.programs_->kernel(source_of_points(together), "", "points");
      std::vector<float> all;
      for (const Launch& p : together) all.insert(all.end(), p.form.numbers.begin(), p.form.numbers.end());
      numbers = device_.constants(all);
      set(kernel, at, from_.get());
      set(kernel, at, to_.get());
      set(kernel, at, count);
      set(kernel, at, numbers.get());
      dimensions = 1;
      local[0] = std::min<std::size_t>(256, device_.group_);
      global[0] = (count + local[0] * device_.wide_ - 1) / (local[0] * device_.wide_) * local[0];
    } else {
      const bool own = l.form.kind == DeviceForm::Kind::window;
      kernel = device_.programs_->kernel(own ? source_of(l.form) : std::string(window_source()), l.options,
                                         own ? "own" : l.kernel.c_str());
      place_.border = number_of(l.border);
      place_.fill = l.fill;
      set(kernel, at, from_.get());
      set(kernel, at, to_.get());
      set(kernel, at, place_);
      if (own || !l.numbers.empty()) {
        numbers = device_.constants(own ? l.form.numbers : l.numbers);
        set(kernel, at, numbers.get());
      }
      for (const int i : l.integers) set(kernel, at, static_cast<cl_int>(i));
      if (l.tile_across >= 0) {
        check(clSetKernelArg(kernel.get(), at++, device_.tile_samples(l) * sizeof(float), nullptr),
              "get memory of a group");
      }
      // Items for all samples, in whole groups.
      const auto items = [](int n, std::size_t each, std::size_t group) {
        const std::size_t needed = (static_cast<std::size_t>(n) + each - 1) / each;
        return (needed + group - 1) / group * group;
      };
      global[0] = items(place_.width, l.several ? device_.wide_ : 1, local[0]);
      global[1] = items(place_.rows, l.several ? kHigh : 1, local[1]);
      global[2] = static_cast<std::size_t>(planes_);
    }
    cl_event raw = nullptr;
    check(clEnqueueNDRangeKernel(device_.queue_.get(), kernel.get(), dimensions, nullptr, global, local, 0, nullptr,
                                 &raw),
          "launch a kernel");
    const Event event(raw);
    check(clWaitForEvents(1, &raw), "run a kernel");
    const double seconds = seconds_of(event);
    told_.seconds_kernels += seconds;
    ++told_.kernels;
    if (figures_) told_.steps[step_of_[static_cast<std::size_t>(&l - launches_.data())]].seconds += seconds;
    std::swap(from_, to_);
  }

  // Adds what a report tells of the rows that count.
  void gather(std::size_t step, int top, int bottom) {
    const std::size_t parts = static_cast<std::size_t>(std::min(256, (bottom - top) * planes_));
    const Buffer found = device_.buffer(2 * parts * sizeof(float)), counts = device_.buffer(3 * parts * sizeof(cl_int));
    const Kernel kernel = device_.programs_->kernel(window_source(), "", "figures");
    cl_uint at = 0;
    set(kernel, at, from_.get());
    set(kernel, at, place_.width);
    set(kernel, at, static_cast<cl_int>(top - place_.first));
    set(kernel, at, static_cast<cl_int>(bottom - place_.first));
    set(kernel, at, place_.rows);
    set(kernel, at, static_cast<cl_int>(planes_));
    set(kernel, at, found.get());
    set(kernel, at, counts.get());
    check(clEnqueueNDRangeKernel(device_.queue_.get(), kernel.get(), 1, nullptr, &parts, nullptr, 0, nullptr, nullptr),
          "launch a kernel");
    std::vector<float> ends(2 * parts);
    std::vector<cl_int> numbers(3 * parts);
    check(clEnqueueReadBuffer(device_.queue_.get(), found.get(), CL_TRUE, 0, ends.size() * sizeof(float), ends.data(),
                              0, nullptr, nullptr),
          "fetch figures");
    check(clEnqueueReadBuffer(device_.queue_.get(), counts.get(), CL_TRUE, 0, numbers.size() * sizeof(cl_int),
                              numbers.data(), 0, nullptr, nullptr),
          "fetch figures");
    SampleFigures& f = told_.steps[step].figures;
    for (std::size_t i = 0; i < parts; ++i) {
      f.low = std::min(f.low, ends[2 * i]);
      f.high = std::max(f.high, ends[2 * i + 1]);
      f.below += static_cast<std::size_t>(numbers[3 * i]);
      f.above += static_cast<std::size_t>(numbers[3 * i + 1]);
      f.not_finite += static_cast<std::size_t>(numbers[3 * i + 2]);
    }
    f.samples += static_cast<std::size_t>(place_.width) * static_cast<std::size_t>(bottom - top) *
                 static_cast<std::size_t>(planes_);
  }

  OpenClDevice& device_;
  ConstView in_;
  View out_;
  bool figures_;
  int planes_, reach_ = 0, rows_ = 0;
  std::vector<Launch> launches_;
  std::vector<std::size_t> step_of_;
  DeviceFigures told_;
  Place place_{};
  Buffer from_, to_;
};

DeviceFigures OpenClDevice::run(std::span<const Step> steps, const ConstView& in, const View& out, bool figures) {
  std::unique_lock lock(mutex_, std::defer_lock);
  // A stop may come while another run is under way.
  while (!lock.try_lock_for(std::chrono::milliseconds(20))) checkpoint();
  return StripRun(*this, steps, in, out, figures).run();
}

OpenClDevice::Transfers OpenClDevice::transfers(std::size_t bytes) {
  const std::lock_guard lock(mutex_);
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
    return clEnqueueWriteBuffer(queue_.get(), a.get(), CL_TRUE, 0, bytes, host.data(), 0, nullptr, e);
  });
  t.copy = 2 * rate([&](cl_event* e) {
             return clEnqueueCopyBuffer(queue_.get(), a.get(), b.get(), 0, 0, bytes, 0, nullptr, e);
           });
  t.down = rate([&](cl_event* e) {
    return clEnqueueReadBuffer(queue_.get(), b.get(), CL_TRUE, 0, bytes, host.data(), 0, nullptr, e);
  });
  return t;
}

}  // namespace sieve::internal::device
