#pragma once
// Programs of a device, built once: for this process, and for the next in the user's cache folder.

#include <map>
#include <mutex>
#include <string>

#include "device/opencl.hpp"

namespace sieve::internal::device {

// Samples that a work item of the weighing kernels takes at once: processors have vectors.
int vectors(cl_device_id device);

class Programs {
 public:
  Programs(cl_context context, cl_device_id device);
  // A kernel of a source that is built with options; Error with the compiler's lines where it does not build.
  BuiltKernel kernel(const std::string& source, const std::string& options, const char* name);

 private:
  cl_program program(const std::string& source, const std::string& options);
  Program build(const std::string& source, const std::string& options) const;
  Program from_cache(const std::string& file, const std::string& options) const;

  cl_context context_;
  cl_device_id device_;
  std::string identity_;     // of device and driver
  std::string all_options_;  // of every program
  std::mutex mutex_;
  std::map<std::string, Program> built_;
};

}  // namespace sieve::internal::device
