#include "device/programs.hpp"

#include <fmt/format.h>
#define XXH_INLINE_ALL
#include <unistd.h>
#include <xxhash.h>

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>

namespace sieve::internal::device {

namespace {

namespace fs = std::filesystem;

// Where built programs are kept; empty where the user has no such folder.
fs::path cache_folder() {
  const char* given = std::getenv("XDG_CACHE_HOME");
  if (given != nullptr && *given == '/') return fs::path(given) / "lean-sieve" / "device";
  const char* home = std::getenv("HOME");
  return home != nullptr && *home == '/' ? fs::path(home) / ".cache" / "lean-sieve" / "device" : fs::path();
}

// Written beside its place and renamed: two processes that start at once both leave a whole file.
void keep(const fs::path& file, const std::vector<unsigned char>& bytes) {
  std::error_code ignored;
  fs::create_directories(file.parent_path(), ignored);
  const fs::path beside = fmt::format("{}.{}", file.string(), getpid());
  {
    std::ofstream out(beside, std::ios::binary);
    out.write(reinterpret_cast<const char*>(bytes.data()), static_cast<std::streamsize>(bytes.size()));
    if (!out.flush()) {
      fs::remove(beside, ignored);
      return;
    }
  }
  fs::rename(beside, file, ignored);
  if (ignored) fs::remove(beside, ignored);
}

std::vector<unsigned char> binary_of(cl_program program) {
  std::size_t size = 0;
  if (clGetProgramInfo(program, CL_PROGRAM_BINARY_SIZES, sizeof size, &size, nullptr) != CL_SUCCESS || size == 0)
    return {};
  std::vector<unsigned char> bytes(size);
  unsigned char* to = bytes.data();
  if (clGetProgramInfo(program, CL_PROGRAM_BINARIES, sizeof(unsigned char*), &to, nullptr) != CL_SUCCESS) return {};
  return bytes;
}

}  // namespace

int vectors(cl_device_id device) {
  return (number_of<cl_device_type>(device, CL_DEVICE_TYPE) & CL_DEVICE_TYPE_CPU) != 0 ? 16 : 1;
}

Programs::Programs(cl_context context, cl_device_id device)
    : context_(context),
      device_(device),
      identity_(text_of(device, CL_DEVICE_NAME) + text_of(device, CL_DEVICE_VERSION) +
                text_of(device, CL_DRIVER_VERSION)),
      all_options_(fmt::format("-cl-std=CL1.2 -DWIDE={} ", vectors(device))) {}

Program Programs::from_cache(const std::string& file, const std::string& options) const {
  std::ifstream in(file, std::ios::binary);
  const std::vector<char> bytes{std::istreambuf_iterator<char>(in), {}};
  if (bytes.empty()) return {};
  const auto* data = reinterpret_cast<const unsigned char*>(bytes.data());
  const std::size_t size = bytes.size();
  cl_int code = CL_SUCCESS, loaded = CL_SUCCESS;
  Program p(clCreateProgramWithBinary(context_, 1, &device_, &size, &data, &loaded, &code));
  // One that does not fit any more is built anew.
  if (code != CL_SUCCESS || loaded != CL_SUCCESS) return {};
  if (clBuildProgram(p.get(), 1, &device_, options.c_str(), nullptr, nullptr) != CL_SUCCESS) return {};
  return p;
}

Program Programs::build(const std::string& source, const std::string& options) const {
  const fs::path folder = cache_folder();
  const std::string key = identity_ + options + source;
  const fs::path file =
      folder.empty() ? fs::path() : folder / fmt::format("{:016x}.bin", XXH64(key.data(), key.size(), 0));
  if (!file.empty()) {
    if (Program p = from_cache(file.string(), options); p.get() != nullptr) return p;
  }
  const char* text = source.c_str();
  cl_int code = CL_SUCCESS;
  Program p(clCreateProgramWithSource(context_, 1, &text, nullptr, &code));
  check(code, "make a program");
  code = clBuildProgram(p.get(), 1, &device_, options.c_str(), nullptr, nullptr);
  if (code != CL_SUCCESS) {
    std::size_t size = 0;
    clGetProgramBuildInfo(p.get(), device_, CL_PROGRAM_BUILD_LOG, 0, nullptr, &size);
    std::string log(size, '\0');
    clGetProgramBuildInfo(p.get(), device_, CL_PROGRAM_BUILD_LOG, size, log.data(), nullptr);
    log.resize(log.find('\0') == std::string::npos ? log.size() : log.find('\0'));
    throw Error(
        fmt::format("device: a program does not build (lines of a text of one's own are counted from 1):\n{}", log));
  }
  if (!file.empty()) {
    if (const auto bytes = binary_of(p.get()); !bytes.empty()) keep(file, bytes);
  }
  return p;
}

cl_program Programs::program(const std::string& source, const std::string& options) {
  const std::lock_guard lock(mutex_);
  const std::string key = options + '\n' + source;
  auto it = built_.find(key);
  if (it == built_.end()) it = built_.emplace(key, build(source, all_options_ + options)).first;
  return it->second.get();
}

BuiltKernel Programs::kernel(const std::string& source, const std::string& options, const char* name) {
  cl_int code = CL_SUCCESS;
  BuiltKernel k(clCreateKernel(program(source, options), name, &code));
  check(code, "find a kernel of a program");
  return k;
}

}  // namespace sieve::internal::device
