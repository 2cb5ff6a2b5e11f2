#include "sieve/describe/resources.hpp"

#include "sieve/core/error.hpp"

namespace sieve {

namespace {
[[noreturn]] void no_files(const std::string& name) {
  throw InvalidArgument(name + ": files cannot be opened here: hand over Resources beside the text, such as " +
                        "sieve::io::resources()");
}
}  // namespace

Image Resources::open_picture(const std::string& name) const {
  if (!picture) no_files(name);
  return picture(name);
}

std::string Resources::open_text(const std::string& name) const {
  if (!text) no_files(name);
  return text(name);
}

}  // namespace sieve
