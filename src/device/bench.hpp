#pragma once
// Where steps work on a device: the picture, or a strip of it, in the device's memory, and a queue of kernels.

#include <array>
#include <initializer_list>
#include <memory>
#include <span>
#include <vector>

#include "device/opencl.hpp"
#include "device/pass.hpp"
#include "sieve/core/image.hpp"
#include "sieve/run/report.hpp"

namespace sieve::internal::device {

class OpenClDevice;

// As device/common.cl has it.
struct Place {
  cl_int width, rows, first, height, border;
  cl_float fill;
};

// A queue with the buffers that its kernels work on. Strips take two of them in turns, so that the transfers of one go
// on beside the kernels of the other.
class Lane {
 public:
  explicit Lane(OpenClDevice& device);
  ~Lane();  // waits for what is under way
  Lane(const Lane&) = delete;
  Lane& operator=(const Lane&) = delete;

  cl_command_queue queue() const { return queue_.get(); }
  // Memory of at least so many bytes, which has been given back or is new.
  Buffer take(std::size_t bytes);
  void give_back(Buffer buffer, std::size_t bytes);
  // Frees what has been given back, but a few buffers of that size for the next run.
  void keep(std::size_t bytes);

  enum class Kind { up, kernel, down };
  // Notes a command, for its time; `step` of the run.
  void note(Event event, Kind kind, std::size_t step);
  // Waits for all commands and adds their times; with figures also to the steps.
  void settle(DeviceFigures& figures);

 private:
  struct Held {
    Buffer buffer;
    std::size_t bytes;
  };
  struct Noted {
    Event event;
    Kind kind;
    std::size_t step;
  };
  OpenClDevice& device_;
  Queue queue_;
  std::vector<Held> free_;
  std::vector<Noted> noted_;
};

// Planes of samples in the device's memory, rows without gaps. What goes out of scope may be used for others.
class Planes {
 public:
  Planes() = default;
  Planes(Lane& lane, const Place& place, int planes);
  Planes(Planes&& other) noexcept { swap(other); }
  Planes& operator=(Planes&& other) noexcept {
    swap(other);
    return *this;
  }
  ~Planes();
  cl_mem memory() const { return buffer_.get(); }
  const Place& place() const { return place_; }
  int count() const { return count_; }
  // Samples of one plane.
  std::size_t samples() const { return static_cast<std::size_t>(place_.width) * static_cast<std::size_t>(place_.rows); }

 private:
  void swap(Planes& other) noexcept;
  Lane* lane_ = nullptr;
  Buffer buffer_;
  std::size_t bytes_ = 0;
  Place place_{};
  int count_ = 0;
};

class Bench {
 public:
  Bench(OpenClDevice& device, Lane& lane, DeviceFigures& told) : device_(device), lane_(lane), told_(told) {}

  // The step that commands are noted for.
  void begin_step(std::size_t step, std::uint32_t white_level) {
    step_ = step;
    white_level_ = white_level;
  }
  // Of the picture, 0 for float data.
  std::uint32_t white_level() const { return white_level_; }

  const Planes& picture() const { return picture_; }
  void become(Planes planes) { picture_ = std::move(planes); }
  // Planes like the picture, or as many as are wanted of its size.
  Planes spare() { return {lane_, picture_.place(), picture_.count()}; }
  Planes spare(int planes) { return {lane_, picture_.place(), planes}; }
  Planes spare(int width, int height, int planes) { return {lane_, {width, height, 0, height, 0, 0}, planes}; }

  // Runs a pass. Where `to` has other sides than `from`, its kernel is told them after the place.
  void run(const Pass& pass, std::initializer_list<const Planes*> from, std::initializer_list<const Planes*> to);
  // Of the picture, which becomes the result.
  void replace(const Pass& pass);
  // Several points as one kernel, of the picture, which becomes the result.
  void run_points(std::span<const Point> points);
  // Samples of `from` and of other planes, channel by channel, to one: an expression of `v` and of `w`.
  void combine(const char* text, std::vector<float> numbers, const Planes& from, const Planes& other, const Planes& to);
  // The same planes again.
  void copy(const Planes& from, const Planes& to);
  void copy_plane(const Planes& from, int plane, const Planes& to, int as);
  void set_to_zero(const Planes& planes);

  // Rows of a view's color channels to planes, and back.
  void upload(const ConstView& from, int row, const Planes& to);
  void download(const Planes& from, int at, int rows, const View& to, int row);

  // What a kernel adds up of every row of every plane, `each` numbers a row, in the order of planes and rows. The
  // kernel takes the planes, where to put the numbers, the place, and what the pass says.
  std::vector<float> of_rows(const Pass& pass, std::initializer_list<const Planes*> from, std::size_t each);
  // The same, all rows added up in double.
  std::vector<double> sums(const Pass& pass, std::initializer_list<const Planes*> from, std::size_t each);
  // How many samples a kernel finds for each of so many bins; it takes the planes, the bins, and what the pass says.
  std::vector<cl_uint> counts(const Pass& pass, const Planes& from, std::size_t bins);
  // Numbers in the device's memory, for a kernel that reads them like a plane.
  Planes numbers(std::span<const float> values);

  // Adds the samples of the rows from..to - 1 that are held here to figures.
  void gather(int from, int to, SampleFigures& figures);

 private:
  // Sets arguments from `at` on: planes, then numbers.
  void set_planes(const BuiltKernel& kernel, cl_uint& at, std::initializer_list<const Planes*> planes) const;
  Buffer set_numbers(const BuiltKernel& kernel, cl_uint& at, const Pass& pass) const;
  // Kernels that take long go in bands of the second dimension, so that a stop need not wait for them.
  void launch(const BuiltKernel& kernel, const std::array<std::size_t, 3>& global,
              const std::array<std::size_t, 3>& local, double operations, bool counted);
  void launch_points(std::span<const Point> points, std::span<const Planes* const> seconds, const Planes& from,
                     const Planes& to);
  // Rows of one channel between a view and planes.
  void move(const ConstView& view, int row, const Planes& planes, int at, int count, int channel, Lane::Kind way);
  void read(cl_mem memory, std::size_t bytes, void* to);

  OpenClDevice& device_;
  Lane& lane_;
  DeviceFigures& told_;
  Planes picture_;
  std::size_t step_ = 0;
  std::uint32_t white_level_ = 0;
};

}  // namespace sieve::internal::device
