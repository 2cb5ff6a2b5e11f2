#include "device/bench.hpp"

#include <algorithm>
#include <cmath>

#include "device/opencl_device.hpp"
#include "device/sources.hpp"

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

template <class T>
void set(const BuiltKernel& kernel, cl_uint& at, const T& value) {
  // Its handles are pointers: NOLINTNEXTLINE(bugprone-sizeof-expression)
  check(clSetKernelArg(kernel.get(), at++, sizeof value, &value), "set an argument of a kernel");
}

// Items for so many samples, in whole groups.
std::size_t items(std::size_t samples, std::size_t each, std::size_t group) {
  const std::size_t needed = (samples + each - 1) / each;
  return (needed + group - 1) / group * group;
}

}  // namespace

Lane::Lane(OpenClDevice& device) : device_(device), queue_(device.queue()) {}
Lane::~Lane() { clFinish(queue_.get()); }

Buffer Lane::take(std::size_t bytes) {
  const auto it = std::find_if(free_.begin(), free_.end(), [&](const Held& h) { return h.bytes == bytes; });
  if (it == free_.end()) {
    // Others are of no use any more once sizes change.
    constexpr std::size_t kMost = 16;
    if (free_.size() > kMost) free_.erase(free_.begin());
    return device_.buffer(bytes);
  }
  Buffer b = std::move(it->buffer);
  free_.erase(it);
  return b;
}
void Lane::give_back(Buffer buffer, std::size_t bytes) { free_.push_back({std::move(buffer), bytes}); }

void Lane::keep(std::size_t bytes) {
  constexpr std::size_t kFew = 3;
  std::erase_if(free_, [&](const Held& h) { return h.bytes != bytes; });
  if (free_.size() > kFew) free_.erase(free_.begin() + kFew, free_.end());
}

void Lane::note(Event event, Kind kind, std::size_t step) { noted_.push_back({std::move(event), kind, step}); }

void Lane::settle(DeviceFigures& f) {
  check(clFinish(queue_.get()), "finish what it began");
  for (const Noted& n : noted_) {
    const double seconds = seconds_of(n.event);
    (n.kind == Kind::up ? f.seconds_up : n.kind == Kind::down ? f.seconds_down : f.seconds_kernels) += seconds;
    if (n.kind == Kind::kernel && !f.steps.empty()) f.steps[n.step].seconds += seconds;
  }
  noted_.clear();
}

Planes::Planes(Lane& lane, const Place& place, int planes)
    : lane_(&lane),
      bytes_(static_cast<std::size_t>(place.width) * static_cast<std::size_t>(place.rows) *
             static_cast<std::size_t>(planes) * sizeof(float)),
      place_(place),
      count_(planes) {
  buffer_ = lane.take(bytes_);
}
Planes::~Planes() {
  if (buffer_.get() != nullptr) lane_->give_back(std::move(buffer_), bytes_);
}
void Planes::swap(Planes& other) noexcept {
  std::swap(lane_, other.lane_);
  std::swap(buffer_, other.buffer_);
  std::swap(bytes_, other.bytes_);
  std::swap(place_, other.place_);
  std::swap(count_, other.count_);
}

void Bench::set_planes(const BuiltKernel& kernel, cl_uint& at, std::initializer_list<const Planes*> planes) const {
  for (const Planes* p : planes) set(kernel, at, p->memory());
}

Buffer Bench::set_numbers(const BuiltKernel& kernel, cl_uint& at, const Pass& pass) const {
  const std::vector<float>& all = pass.form ? pass.form->numbers : pass.numbers;
  Buffer constants;
  if (!all.empty() || pass.form) {
    constants = device_.constants(all);
    set(kernel, at, constants.get());
  }
  for (const int i : pass.integers) set(kernel, at, static_cast<cl_int>(i));
  for (const float r : pass.reals) set(kernel, at, static_cast<cl_float>(r));
  return constants;
}

void Bench::run(const Pass& pass, std::initializer_list<const Planes*> from, std::initializer_list<const Planes*> to) {
  const bool own = pass.form.has_value();
  const BuiltKernel kernel = device_.kernel(own ? source_of_window(*pass.form) : source_of_file(pass.file),
                                            pass.options, own ? "own" : pass.kernel.c_str());
  cl_uint at = 0;
  set_planes(kernel, at, from);
  set_planes(kernel, at, to);
  Place place = (*from.begin())->place();
  place.border = number_of(pass.border);
  place.fill = pass.fill;
  set(kernel, at, place);
  const Planes& result = **to.begin();
  if (pass.resizes) set(kernel, at, result.place());
  const Buffer constants = set_numbers(kernel, at, pass);
  if (pass.tile_across >= 0) {
    check(clSetKernelArg(kernel.get(), at++, device_.tile_samples(pass) * sizeof(float), nullptr),
          "get memory of a group");
  }
  const auto side = static_cast<std::size_t>(pass.group);
  const std::array<std::size_t, 3> local = {side > 0 ? side : device_.across(), side > 0 ? side : device_.down(), 1};
  const std::size_t planes = pass.joint ? 1 : static_cast<std::size_t>(result.count());
  launch(
      kernel,
      {items(static_cast<std::size_t>(result.place().width), pass.several ? device_.wide() : 1, local[0]),
       items(static_cast<std::size_t>(result.place().rows), pass.several ? OpenClDevice::kHigh : 1, local[1]), planes},
      local, pass.operations * static_cast<double>(result.samples()) * static_cast<double>(result.count()), true);
}

void Bench::launch(const BuiltKernel& kernel, const std::array<std::size_t, 3>& global,
                   const std::array<std::size_t, 3>& local, double operations, bool counted) {
  const std::size_t groups = global[1] / local[1],
                    bands = std::min(groups, static_cast<std::size_t>(std::ceil(operations / device_.most_at_once())));
  for (std::size_t b = 0; b < std::max<std::size_t>(1, bands); ++b) {
    const std::size_t from = groups * b / std::max<std::size_t>(1, bands),
                      to = groups * (b + 1) / std::max<std::size_t>(1, bands);
    const std::size_t offset[] = {0, from * local[1], 0}, size[] = {global[0], (to - from) * local[1], global[2]};
    const double share = operations * static_cast<double>(to - from) / static_cast<double>(groups);
    device_.wait_for_room(share);
    cl_event raw = nullptr;
    check(clEnqueueNDRangeKernel(lane_.queue(), kernel.get(), 3, offset, size, local.data(), 0, nullptr, &raw),
          "launch a kernel");
    check(clRetainEvent(raw), "launch a kernel");
    device_.under_way(Event(raw), share);
    Event event(raw);
    if (counted) lane_.note(std::move(event), Lane::Kind::kernel, step_);
  }
  check(clFlush(lane_.queue()), "launch a kernel");
  if (counted) ++told_.kernels;
}

void Bench::replace(const Pass& pass) {
  Planes to = spare();
  run(pass, {&picture_}, {&to});
  become(std::move(to));
}

void Bench::launch_points(std::span<const Point> points, std::span<const Planes* const> seconds, const Planes& from,
                          const Planes& to) {
  const PointProgram program = program_of_points(points, from.count());
  const BuiltKernel kernel = device_.kernel(program.text, "", "points");
  Pass all;
  for (const Point& p : points) {
    // Numbers of points that do nothing to gray stay, so that those after them keep their places.
    all.numbers.insert(all.numbers.end(), p.numbers.begin(), p.numbers.end());
  }
  if (all.numbers.empty()) all.numbers = {0};
  cl_uint at = 0;
  set_planes(kernel, at, {&from, &to});
  set(kernel, at, static_cast<cl_ulong>(from.samples()));
  const Buffer constants = set_numbers(kernel, at, all);
  for (const Planes* s : seconds) {
    set(kernel, at, s->memory());
    set(kernel, at, static_cast<cl_ulong>(s->count() > 1 ? s->samples() : 0));
  }
  const std::size_t group = device_.of_points();
  launch(kernel,
         {items(from.samples(), device_.wide(), group), program.joint ? 1 : static_cast<std::size_t>(from.count()), 1},
         {group, 1, 1}, 0, true);
}

void Bench::run_points(std::span<const Point> points) {
  const PointProgram program = program_of_points(points, picture_.count());
  std::vector<Planes> held;
  for (const Point& p : points) {
    if (!p.with_second) continue;
    ConstView v = p.second.image("", "with").view();
    held.push_back(spare(v.shape.color_channels()));
    upload(v, picture_.place().first, held.back());
  }
  std::vector<const Planes*> seconds;
  for (const Planes& h : held) seconds.push_back(&h);
  Planes to = spare(program.planes);
  launch_points(points, seconds, picture_, to);
  become(std::move(to));
}

void Bench::combine(const char* text, std::vector<float> numbers, const Planes& from, const Planes& other,
                    const Planes& to) {
  const Point p{.text = text, .numbers = std::move(numbers), .with_second = true};
  const Planes* const second = &other;
  launch_points({&p, 1}, {&second, 1}, from, to);
}

void Bench::copy(const Planes& from, const Planes& to) {
  for (int c = 0; c < from.count(); ++c) copy_plane(from, c, to, c);
}
void Bench::copy_plane(const Planes& from, int plane, const Planes& to, int as) {
  const std::size_t bytes = from.samples() * sizeof(float);
  check(clEnqueueCopyBuffer(lane_.queue(), from.memory(), to.memory(), static_cast<std::size_t>(plane) * bytes,
                            static_cast<std::size_t>(as) * bytes, bytes, 0, nullptr, nullptr),
        "copy planes");
}
void Bench::set_to_zero(const Planes& planes) {
  const cl_float zero = 0;
  check(clEnqueueFillBuffer(lane_.queue(), planes.memory(), &zero, sizeof zero, 0,
                            planes.samples() * static_cast<std::size_t>(planes.count()) * sizeof(float), 0, nullptr,
                            nullptr),
        "set planes to zero");
}

void Bench::upload(const ConstView& from, int row, const Planes& to) {
  for (int c = 0; c < to.count(); ++c) move(from, row, to, 0, to.place().rows, c, Lane::Kind::up);
  ++told_.uploads;
}
void Bench::download(const Planes& from, int at, int rows, const View& to, int row) {
  for (int c = 0; c < from.count(); ++c) move(to, row, from, at, rows, c, Lane::Kind::down);
  ++told_.downloads;
}

void Bench::move(const ConstView& view, int row, const Planes& planes, int at, int count, int channel, Lane::Kind way) {
  // Rows that lie the other way round go one by one.
  const int together = view.row_stride >= view.width() ? count : 1;
  const std::size_t wide = static_cast<std::size_t>(view.width()) * sizeof(float),
                    pitch = together > 1 ? static_cast<std::size_t>(view.row_stride) * sizeof(float) : wide;
  for (int i = 0; i < count; i += together) {
    const auto there = static_cast<std::size_t>(channel * planes.place().rows + at + i);
    const std::size_t device_origin[] = {0, there, 0}, host_origin[] = {0, 0, 0},
                      region[] = {wide, static_cast<std::size_t>(together), 1};
    const float* const host = view.row(row + i, channel);
    cl_event raw = nullptr;
    if (way == Lane::Kind::up) {
      check(clEnqueueWriteBufferRect(lane_.queue(), planes.memory(), CL_FALSE, device_origin, host_origin, region, wide,
                                     0, pitch, 0, host, 0, nullptr, &raw),
            "send the picture");
      told_.bytes_up += region[0] * region[1];
    } else {
      // The view is one to write to: download() has it.
      check(clEnqueueReadBufferRect(lane_.queue(), planes.memory(), CL_FALSE, device_origin, host_origin, region, wide,
                                    0, pitch, 0, const_cast<float*>(host), 0, nullptr, &raw),
            "fetch the result");
      told_.bytes_down += region[0] * region[1];
    }
    lane_.note(Event(raw), way, step_);
  }
  check(clFlush(lane_.queue()), "move the picture");
}

void Bench::read(cl_mem memory, std::size_t bytes, void* to) {
  check(clEnqueueReadBuffer(lane_.queue(), memory, CL_TRUE, 0, bytes, to, 0, nullptr, nullptr), "fetch figures");
}

std::vector<float> Bench::of_rows(const Pass& pass, std::initializer_list<const Planes*> from, std::size_t each) {
  const Planes& first = **from.begin();
  const std::size_t groups =
      static_cast<std::size_t>(first.place().rows) * static_cast<std::size_t>(pass.joint ? 1 : first.count());
  const BuiltKernel kernel = device_.kernel(source_of_file(pass.file), pass.options, pass.kernel.c_str());
  const Buffer found = device_.buffer(groups * each * sizeof(float));
  cl_uint at = 0;
  set_planes(kernel, at, from);
  set(kernel, at, found.get());
  set(kernel, at, first.place());
  const Buffer constants = set_numbers(kernel, at, pass);
  launch(kernel, {groups * device_.adding(), 1, 1}, {device_.adding(), 1, 1}, 0, false);
  std::vector<float> all(groups * each);
  read(found.get(), all.size() * sizeof(float), all.data());
  return all;
}

std::vector<double> Bench::sums(const Pass& pass, std::initializer_list<const Planes*> from, std::size_t each) {
  const std::vector<float> rows = of_rows(pass, from, each);
  std::vector<double> all(each);
  for (std::size_t i = 0; i < rows.size(); ++i) all[i % each] += static_cast<double>(rows[i]);
  return all;
}

std::vector<cl_uint> Bench::counts(const Pass& pass, const Planes& from, std::size_t bins) {
  const BuiltKernel kernel = device_.kernel(source_of_file(pass.file), pass.options, pass.kernel.c_str());
  const Buffer found = device_.buffer(bins * sizeof(cl_uint));
  const cl_uint zero = 0;
  check(clEnqueueFillBuffer(lane_.queue(), found.get(), &zero, sizeof zero, 0, bins * sizeof zero, 0, nullptr, nullptr),
        "set counts to zero");
  cl_uint at = 0;
  set_planes(kernel, at, {&from});
  set(kernel, at, found.get());
  set(kernel, at, from.place());
  const Buffer constants = set_numbers(kernel, at, pass);
  const auto rows = static_cast<std::size_t>(from.place().rows);
  launch(kernel,
         {items(static_cast<std::size_t>(from.place().width), 1, device_.across()), items(rows, 1, device_.down()), 1},
         {device_.across(), device_.down(), 1}, 0, false);
  std::vector<cl_uint> all(bins);
  read(found.get(), bins * sizeof(cl_uint), all.data());
  return all;
}

Planes Bench::numbers(std::span<const float> values) {
  Planes p = spare(static_cast<int>(values.size()), 1, 1);
  check(clEnqueueWriteBuffer(lane_.queue(), p.memory(), CL_TRUE, 0, values.size_bytes(), values.data(), 0, nullptr,
                             nullptr),
        "send numbers");
  return p;
}

void Bench::gather(int from, int to, SampleFigures& f) {
  const Place& place = picture_.place();
  constexpr std::size_t kEach = 5;
  const std::vector<float> rows = of_rows({.file = "figures", .kernel = "figures"}, {&picture_}, kEach);
  for (std::size_t i = 0; i < rows.size() / kEach; ++i) {
    const int y = place.first + static_cast<int>(i) % place.rows;
    if (y < from || y >= to) continue;
    const float* r = rows.data() + i * kEach;
    f.low = std::min(f.low, r[0]);
    f.high = std::max(f.high, r[1]);
    f.below += static_cast<std::size_t>(r[2]);
    f.above += static_cast<std::size_t>(r[3]);
    f.not_finite += static_cast<std::size_t>(r[4]);
    f.samples += static_cast<std::size_t>(place.width);
  }
}

}  // namespace sieve::internal::device
