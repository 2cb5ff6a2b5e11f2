#include "device/opencl.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>

namespace sieve::internal::device {

namespace {

struct Code {
  cl_int code;
  const char* meaning;
};
constexpr Code kCodes[] = {{CL_DEVICE_NOT_AVAILABLE, "the device is not available"},
                           {CL_COMPILER_NOT_AVAILABLE, "it has no compiler"},
                           {CL_MEM_OBJECT_ALLOCATION_FAILURE, "its memory ran out"},
                           {CL_OUT_OF_RESOURCES, "it is out of resources"},
                           {CL_OUT_OF_HOST_MEMORY, "this machine's memory ran out"},
                           {CL_BUILD_PROGRAM_FAILURE, "a program did not build"},
                           {CL_INVALID_BUFFER_SIZE, "a buffer is larger than it allows"},
                           {CL_INVALID_WORK_GROUP_SIZE, "its work groups are smaller"}};

}  // namespace

void check(cl_int code, const char* what) {
  if (code == CL_SUCCESS) return;
  const auto* const known =
      std::find_if(std::begin(kCodes), std::end(kCodes), [code](const Code& c) { return c.code == code; });
  throw Error(fmt::format("device: cannot {}: {} (OpenCL {}): try a smaller picture, another device, or none", what,
                          known == std::end(kCodes) ? "it failed" : known->meaning, code));
}

double seconds_of(const Event& event) {
  cl_int state = CL_COMPLETE;
  check(clGetEventInfo(event.get(), CL_EVENT_COMMAND_EXECUTION_STATUS, sizeof state, &state, nullptr),
        "ask for a result");
  if (state < 0) check(state, "finish what it began");
  cl_ulong from = 0, to = 0;
  check(clGetEventProfilingInfo(event.get(), CL_PROFILING_COMMAND_START, sizeof from, &from, nullptr), "read a clock");
  check(clGetEventProfilingInfo(event.get(), CL_PROFILING_COMMAND_END, sizeof to, &to, nullptr), "read a clock");
  return static_cast<double>(to - from) * 1e-9;
}

std::string text_of(cl_device_id device, cl_device_info what) {
  std::size_t size = 0;
  check(clGetDeviceInfo(device, what, 0, nullptr, &size), "ask for a property of the device");
  std::string text(size, '\0');
  check(clGetDeviceInfo(device, what, size, text.data(), nullptr), "ask for a property of the device");
  return text.substr(0, text.find('\0'));
}

std::vector<Found> find_devices() {
  std::vector<Found> all;
  cl_uint platforms = 0;
  // Without any implementation this fails.
  if (clGetPlatformIDs(0, nullptr, &platforms) != CL_SUCCESS || platforms == 0) return all;
  std::vector<cl_platform_id> ids(platforms);
  check(clGetPlatformIDs(platforms, ids.data(), nullptr), "list platforms");
  for (cl_platform_id platform : ids) {
    cl_uint count = 0;
    if (clGetDeviceIDs(platform, CL_DEVICE_TYPE_ALL, 0, nullptr, &count) != CL_SUCCESS || count == 0) continue;
    std::vector<cl_device_id> devices(count);
    check(clGetDeviceIDs(platform, CL_DEVICE_TYPE_ALL, count, devices.data(), nullptr), "list devices");
    for (cl_device_id device : devices) all.push_back({platform, device});
  }
  return all;
}

}  // namespace sieve::internal::device
