#pragma once
/// How the text of a parameter reaches files.

#include <functional>
#include <string>

#include "sieve/core/image.hpp"

namespace sieve {

/// How a parameter's text opens files: whoever reads chains fills it in, so that the filters themselves read none.
struct Resources {
  /// The picture of a name, for parameters that hold a second picture.
  std::function<Image(const std::string& name)> picture = {};
  /// The whole text of a file, for kernels and curves (`@FILE`).
  std::function<std::string(const std::string& name)> text = {};
};

}  // namespace sieve
