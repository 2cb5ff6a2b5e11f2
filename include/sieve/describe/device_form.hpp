#pragma once
/// What a filter does on a device, as text: a lambda cannot travel there.

#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// A filter in the C of OpenCL 1.2. Numbers that depend on the filter's fields stand apart, so that one program serves
/// all of them. See Description::on_device() and device::point(), device::window().
struct DeviceForm {
  /// What the text is.
  enum class Kind { none, point, window };
  Kind kind = Kind::none;      ///< none: the filter runs on processors alone
  std::string text = {};       ///< an expression, or the body of a function
  int radius = 0;              ///< of a window: how far it looks, pixels
  std::vector<float> numbers;  ///< n[0], n[1], ... of the text
};

namespace device {

/// A sample by its value: an expression of `v` and of `n[0]`, `n[1]`, ..., which are `numbers`.
///
///     d.on_device([](const Negative&) { return sieve::device::point("1 - v"); });
[[nodiscard]] DeviceForm point(std::string expression, std::vector<float> numbers = {});
/// A sample by those within `radius` pixels (0 to 64): the body of a function that returns a float, of `at(dx, dy)`,
/// the sample so many columns to the right and rows below, and of `n[0]`, ... What lies beyond the picture is as the
/// filter's field `border` says, edge where it has none.
[[nodiscard]] DeviceForm window(int radius, std::string body, std::vector<float> numbers = {});

}  // namespace device
}  // namespace sieve
