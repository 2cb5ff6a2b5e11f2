#include "core/memory.hpp"

#include <sys/mman.h>
#include <unistd.h>

#include <algorithm>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <string>
#include <string_view>

#include "sieve/core/error.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr std::size_t kAlign = 64;
constexpr std::size_t kHugePage = std::size_t{2} << 20;
constexpr std::size_t kMapFrom = std::size_t{1} << 20;

[[noreturn]] void no_memory(std::size_t bytes) {
  throw Error("no memory for a picture of " + std::to_string((bytes + kMapFrom - 1) / kMapFrom) +
              " MiB: crop or shrink it, or close other programs");
}

}  // namespace

std::size_t internal::machine_memory() {
  static const std::size_t bytes =
      static_cast<std::size_t>(::sysconf(_SC_PHYS_PAGES)) * static_cast<std::size_t>(::sysconf(_SC_PAGESIZE));
  return bytes;
}

std::uint64_t internal::available_memory() {
  std::uint64_t available = machine_memory() / 2;
  std::ifstream info("/proc/meminfo");
  for (std::string line; std::getline(info, line);) {
    constexpr std::string_view key = "MemAvailable:";
    if (line.starts_with(key)) available = 1024 * std::strtoull(line.c_str() + key.size(), nullptr, 10);
  }
  // A control group without a limit says "max", which is no number.
  std::uint64_t most = 0, used = 0;
  if (std::ifstream("/sys/fs/cgroup/memory.max") >> most && std::ifstream("/sys/fs/cgroup/memory.current") >> used)
    available = std::min(available, most - std::min(most, used));
  return available;
}

// Large pictures are mapped: the pages come zeroed, so nothing is filled before it is written, and huge pages
// spare the faults that would otherwise cost as much as the work.
float* internal::allocate_samples(std::size_t bytes) {
  if (bytes >= kMapFrom) {
    void* p = ::mmap(nullptr, bytes, PROT_READ | PROT_WRITE, MAP_PRIVATE | MAP_ANONYMOUS, -1, 0);
    if (p == MAP_FAILED) no_memory(bytes);
    if (bytes >= 2 * kHugePage) ::madvise(p, bytes, MADV_HUGEPAGE);
    return static_cast<float*>(p);
  }
  bytes = (bytes + kAlign - 1) / kAlign * kAlign;  // as std::aligned_alloc wants it
  void* p = std::aligned_alloc(kAlign, bytes);
  if (p == nullptr) no_memory(bytes);
  std::memset(p, 0, bytes);
  return static_cast<float*>(p);
}

void internal::free_samples(float* data, std::size_t bytes) {
  if (data == nullptr) return;
  if (bytes >= kMapFrom) {
    ::munmap(data, bytes);
  } else {
    std::free(data);
  }
}

}  // namespace sieve
