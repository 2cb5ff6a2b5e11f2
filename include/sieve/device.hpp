#pragma once
/// Devices that run OpenCL: which there are, what they can do, and one for an engine. Only where LeanSieve::device was
/// built.
///
///     sieve::Engine engine{{.device = sieve::device::open()}};
///     engine.run(chain, picture);

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/device_form.hpp"
#include "sieve/run/device.hpp"
#include "sieve/tone/histogram.hpp"
#include "sieve/tone/statistics.hpp"

namespace SIEVE_EXPORT sieve {
namespace device {

/// What a device says of itself.
struct About {
  std::string platform;       ///< the implementation that it belongs to
  std::string name;           ///< of the device
  std::string kind;           ///< "GPU", "CPU", "accelerator" or "other"
  std::string version;        ///< of OpenCL, and of the implementation
  std::uint64_t memory = 0;   ///< bytes
  std::uint64_t largest = 0;  ///< bytes of one buffer
  std::uint64_t local = 0;    ///< bytes that the work items of a group share
  unsigned units = 0;         ///< that work side by side
  std::uint64_t group = 0;    ///< work items of a group at most
};

/// All devices, in the order of their numbers, from 0. Empty where there is no OpenCL on this machine.
[[nodiscard]] std::vector<About> list();

/// A device by its number or a part of its name, letters of either case alike; without one the first GPU, or else the
/// first of all. `memory`: bytes of it that may be used, 0 for three quarters. InvalidArgument where there is none, or
/// several of that name, with those that there are.
[[nodiscard]] std::shared_ptr<Device> open(std::string_view which = "", std::uint64_t memory = 0);

/// The filters of this library that have a form for devices, with some of their settings at least:
/// docs/guide/devices.md says which. In the order of their names. Filters of one's own have one where their description
/// says so.
[[nodiscard]] std::vector<std::string> forms();

/// How fast a device is, measured with a picture of so many pixels a side, medians of five.
struct Speeds {
  double up = 0;        ///< bytes a second from this machine's memory
  double down = 0;      ///< and back
  double copy = 0;      ///< bytes a second read and written by a copy on the device
  double convolve = 0;  ///< pixels a second of a 7x7 convolution, transfers left out
};
/// Measures the device that open() gives for `which`, in about a second. InvalidArgument as there, and for a side that
/// is not 16 to 16384; Error where the device fails.
[[nodiscard]] Speeds measure(std::string_view which = "", int side = 2048);

/// Figures of a picture, worked out on the device: its color channels go up, numbers come back, of single precision
/// within a row and of double beyond. As sieve::statistics(), of the color channels. InvalidArgument for a device that
/// open() did not make; Error where it fails, as for the three that follow. O(samples).
[[nodiscard]] std::vector<ChannelStatistics> statistics(Device& device, const ConstView& in);
/// As sieve::histogram(), but an end that is not given is 0 or 1 for float data, too; a sample within a rounding of a
/// bin's end may be counted with its neighbor where ends of bins are no powers of two. InvalidArgument
/// as there, too. O(samples + bins).
[[nodiscard]] Histogram histogram(Device& device, const ConstView& in, const HistogramOptions& options = {});
/// As sieve::psnr(), with its InvalidArgument. O(samples).
[[nodiscard]] double psnr(Device& device, const ConstView& result, const ConstView& truth, double peak = 1);
/// As sieve::ssim(), with its InvalidArgument. O(samples).
[[nodiscard]] double ssim(Device& device, const ConstView& result, const ConstView& truth, double peak = 1);

}  // namespace device
}  // namespace sieve
