#include "device/programs.hpp"

#include <fmt/format.h>
#define XXH_INLINE_ALL
#include <fcntl.h>
#include <unistd.h>
#include <xxhash.h>

#include <cstdint>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string_view>

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

// A kept program begins with this, then the hash of its bytes: a driver may crash on a program that is cut off.
constexpr std::string_view kMagic = "LSDEV 1\n";
using Hash = std::uint64_t;
constexpr std::size_t kHeader = kMagic.size() + sizeof(Hash);

Hash hash_of(std::string_view bytes) { return XXH3_64bits(bytes.data(), bytes.size()); }

// The bytes of a kept program; nothing where the file is missing or damaged.
std::string kept(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  const std::string all{std::istreambuf_iterator<char>(in), {}};
  if (all.size() <= kHeader || !all.starts_with(kMagic)) return {};
  Hash hash = 0;
  std::memcpy(&hash, all.data() + kMagic.size(), sizeof hash);
  std::string bytes = all.substr(kHeader);
  return hash_of(bytes) == hash ? bytes : std::string();
}

// Written beside its place, synced and renamed: processes that start at once, or end at any moment, leave a whole file.
void keep(const fs::path& file, const std::string& bytes) {
  std::error_code ignored;
  fs::create_directories(file.parent_path(), ignored);
  const fs::path beside = fmt::format("{}.{}", file.string(), getpid());
  const int fd = ::open(beside.c_str(), O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, 0600);
  if (fd < 0) return;
  const Hash hash = hash_of(bytes);
  std::string all(kMagic);
  all.append(reinterpret_cast<const char*>(&hash), sizeof hash);
  all += bytes;
  std::size_t done = 0;
  for (ssize_t n = 0; done < all.size() && (n = ::write(fd, all.data() + done, all.size() - done)) > 0;)
    done += static_cast<std::size_t>(n);
  const bool written = done == all.size() && ::fsync(fd) == 0;
  ::close(fd);
  if (written) fs::rename(beside, file, ignored);
  if (!written || ignored) fs::remove(beside, ignored);
}

std::string binary_of(cl_program program) {
  std::size_t size = 0;
  if (clGetProgramInfo(program, CL_PROGRAM_BINARY_SIZES, sizeof size, &size, nullptr) != CL_SUCCESS || size == 0)
    return {};
  std::string bytes(size, '\0');
  auto* to = reinterpret_cast<unsigned char*>(bytes.data());
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
  const std::string bytes = kept(file);
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
