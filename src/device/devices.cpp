#include <fmt/format.h>

#include <algorithm>
#include <cctype>

#include "device/forms.hpp"
#include "device/opencl_device.hpp"
#include "sieve/describe/words.hpp"
#include "sieve/device.hpp"
#include "sieve/spatial/convolve.hpp"

namespace sieve::device {

using namespace internal;
using internal::device::Found;
using internal::device::OpenClDevice;

namespace {

const char* kind_of(cl_device_type type) {
  if ((type & CL_DEVICE_TYPE_GPU) != 0) return "GPU";
  if ((type & CL_DEVICE_TYPE_CPU) != 0) return "CPU";
  return (type & CL_DEVICE_TYPE_ACCELERATOR) != 0 ? "accelerator" : "other";
}

std::string platform_name(cl_platform_id platform) {
  std::size_t size = 0;
  internal::device::check(clGetPlatformInfo(platform, CL_PLATFORM_NAME, 0, nullptr, &size), "ask a platform its name");
  std::string text(size, '\0');
  internal::device::check(clGetPlatformInfo(platform, CL_PLATFORM_NAME, size, text.data(), nullptr),
                          "ask a platform its name");
  return text.substr(0, text.find('\0'));
}

std::string lower(std::string_view text) {
  std::string s(text);
  for (char& c : s) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
  return s;
}

// All, a line each.
std::string told(const std::vector<About>& all) {
  std::string lines;
  for (std::size_t i = 0; i < all.size(); ++i)
    lines += fmt::format("{}{} ({}, {})", i == 0 ? "" : "; ", i, all[i].name, all[i].kind);
  return lines;
}

std::size_t chosen(const std::vector<About>& all, std::string_view which) {
  if (all.empty()) {
    throw InvalidArgument(
        "device: there is none: no implementation of OpenCL is installed on this machine (Debian's pocl-opencl-icd "
        "runs on its processors), or the driver of a card is missing");
  }
  if (which.empty()) {
    const auto gpu = std::find_if(all.begin(), all.end(), [](const About& a) { return a.kind == "GPU"; });
    return gpu == all.end() ? 0 : static_cast<std::size_t>(gpu - all.begin());
  }
  if (std::all_of(which.begin(), which.end(), [](char c) { return c >= '0' && c <= '9'; }) && which.size() < 4) {
    const auto number = static_cast<std::size_t>(std::stoi(std::string(which)));
    if (number < all.size()) return number;
    throw InvalidArgument(fmt::format("device: there is no number {}; there are {}", number, told(all)));
  }
  std::vector<std::size_t> fitting;
  for (std::size_t i = 0; i < all.size(); ++i) {
    if (lower(all[i].name).find(lower(which)) != std::string::npos) fitting.push_back(i);
  }
  if (fitting.size() == 1) return fitting[0];
  throw InvalidArgument(fmt::format("device: {} of that name ('{}'); there are {}",
                                    fitting.empty() ? "there is none" : "there are several", which, told(all)));
}

}  // namespace

std::vector<About> list() {
  std::vector<About> all;
  for (const Found& f : internal::device::find_devices()) {
    About a;
    const auto number = [&]<class T>(T, cl_device_info what) { return internal::device::number_of<T>(f.device, what); };
    a.platform = platform_name(f.platform);
    a.name = internal::device::text_of(f.device, CL_DEVICE_NAME);
    a.kind = kind_of(number(cl_device_type{}, CL_DEVICE_TYPE));
    a.version = internal::device::text_of(f.device, CL_DEVICE_VERSION);
    a.memory = number(cl_ulong{}, CL_DEVICE_GLOBAL_MEM_SIZE);
    a.largest = number(cl_ulong{}, CL_DEVICE_MAX_MEM_ALLOC_SIZE);
    a.local = number(cl_ulong{}, CL_DEVICE_LOCAL_MEM_SIZE);
    a.units = number(cl_uint{}, CL_DEVICE_MAX_COMPUTE_UNITS);
    a.group = number(std::size_t{}, CL_DEVICE_MAX_WORK_GROUP_SIZE);
    all.push_back(std::move(a));
  }
  return all;
}

std::shared_ptr<Device> open(std::string_view which, std::uint64_t memory) {
  const std::size_t number = chosen(list(), which);
  return std::make_shared<OpenClDevice>(internal::device::find_devices()[number], memory);
}

std::vector<std::string> forms() { return internal::device::all_forms().names(); }

Speeds measure(std::string_view which, int side) {
  if (side < 16 || side > 16384)
    throw InvalidArgument(fmt::format("device: side={} is not allowed: give 16 to 16384", side));
  OpenClDevice device(internal::device::find_devices()[chosen(list(), which)], 0);
  const std::size_t samples = static_cast<std::size_t>(side) * static_cast<std::size_t>(side);
  const OpenClDevice::Transfers t = device.transfers(samples * sizeof(float));
  // Weights that are no product of a row and a column.
  std::vector<double> taps(49, 1.0 / 64);
  taps[3] = taps[45] = 8.0 / 64;
  const Convolve filter{.kernel = Kernel(7, 7, taps)};
  const Step step{&description_of<Convolve>(), std::shared_ptr<const void>(std::shared_ptr<const void>(), &filter)};
  const Image in(side, side);
  Image out(side, side);
  std::vector<double> times;
  for (int i = 0; i < 6; ++i) {
    const DeviceFigures f = device.run({&step, 1}, in, out.view(), false);
    if (i > 0) times.push_back(f.seconds_kernels);  // the first builds
  }
  std::nth_element(times.begin(), times.begin() + 2, times.end());
  return {t.up, t.down, t.copy, static_cast<double>(samples) / std::max(times[2], 1e-9)};
}

}  // namespace sieve::device
