#include "sieve/describe/device_form.hpp"

#include <fmt/format.h>

#include "sieve/core/error.hpp"

namespace sieve {

DeviceForm device::point(std::string expression, std::vector<float> numbers) {
  return {DeviceForm::Kind::point, std::move(expression), 0, std::move(numbers)};
}

DeviceForm device::window(int radius, std::string body, std::vector<float> numbers) {
  if (radius < 0 || radius > 64)
    throw InvalidArgument(fmt::format("device window: radius={} is not allowed: give 0 to 64", radius));
  return {DeviceForm::Kind::window, std::move(body), radius, std::move(numbers)};
}

}  // namespace sieve
