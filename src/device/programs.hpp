#pragma once
// Programs of a device, built once: for this process, and for the next in the user's cache folder.

#include <map>
#include <mutex>
#include <string>

#include "device/opencl.hpp"

namespace sieve::internal::device {

class Programs {
 public:
  Programs(cl_context context, cl_device_id device);
  // A kernel of a source; Error with the compiler's lines where it does not build.
  Kernel kernel(const std::string& source, const char* name);

 private:
  cl_program program(const std::string& source);
  Program build(const std::string& source) const;
  Program from_cache(const std::string& file) const;

  cl_context context_;
  cl_device_id device_;
  std::string identity_;  // of device and driver
  std::mutex mutex_;
  std::map<std::string, Program> built_;
};

}  // namespace sieve::internal::device
