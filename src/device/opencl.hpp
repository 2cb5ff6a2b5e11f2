#pragma once
// OpenCL's handles as values, and its errors as ours.

#define CL_TARGET_OPENCL_VERSION 120
#include <CL/cl.h>

#include <string>
#include <utility>
#include <vector>

#include "sieve/core/error.hpp"

namespace sieve::internal::device {

// Throws an Error that says what failed, and how that is called.
void check(cl_int code, const char* what);

// Owns one handle.
template <class T, cl_int (*release)(T)>
class Owned {
 public:
  Owned() = default;
  explicit Owned(T handle) : handle_(handle) {}
  Owned(Owned&& other) noexcept : handle_(std::exchange(other.handle_, nullptr)) {}
  Owned& operator=(Owned&& other) noexcept {
    std::swap(handle_, other.handle_);
    return *this;
  }
  ~Owned() {
    if (handle_ != nullptr) release(handle_);
  }
  T get() const { return handle_; }

 private:
  T handle_ = nullptr;
};
using Context = Owned<cl_context, clReleaseContext>;
using Queue = Owned<cl_command_queue, clReleaseCommandQueue>;
using Program = Owned<cl_program, clReleaseProgram>;
using BuiltKernel = Owned<cl_kernel, clReleaseKernel>;
using Buffer = Owned<cl_mem, clReleaseMemObject>;
using Event = Owned<cl_event, clReleaseEvent>;

// How long a command took by the device's clock; Error where it failed.
double seconds_of(const Event& event);

// A property of a device that is a number, or text.
template <class T>
T number_of(cl_device_id device, cl_device_info what) {
  T value{};
  check(clGetDeviceInfo(device, what, sizeof value, &value, nullptr), "ask for a property of the device");
  return value;
}
std::string text_of(cl_device_id device, cl_device_info what);

// All devices of all platforms.
struct Found {
  cl_platform_id platform;
  cl_device_id device;
};
std::vector<Found> find_devices();

}  // namespace sieve::internal::device
