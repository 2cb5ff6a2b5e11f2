#pragma once
// What bounds the operations: memory, arithmetic, and the libraries that do a like job.

#include <cstdint>
#include <functional>
#include <string>
#include <vector>

#include "sieve/core/image.hpp"

namespace sieve::bench {

// Something to measure by: work() is timed, and one pass counts as `units` of what `unit` says.
struct Yardstick {
  std::string name;
  std::function<void()> work;
  double units = 1;
  std::string unit;
};

// Built once, in this order; see limits.cpp for what each is for.
enum class By {
  copy,
  color_copy,
  multiply_add,
  fft_2048,
  fft_2048_there,
  fft_1024,
  product,
  exact_svd,
  jpeg,
  jpeg_back
};
const Yardstick& yardstick(By by);
std::vector<By> all_yardsticks();

// The samples of a JPEG by the bare library's loop, as its example has it, on one thread.
void from_jpeg(const std::vector<std::uint8_t>& bytes, std::vector<std::uint8_t>& samples);

}  // namespace sieve::bench
