#include "draw/late_calls.hpp"

#include <dlfcn.h>
#include <fmt/format.h>

#include <mutex>

#include "sieve/core/error.hpp"

namespace sieve::draw {

namespace {

struct Opened {
  const char *file, *package;
  std::once_flag once = {};
  void* handle = nullptr;
};

}  // namespace

void* address_of(DrawingLibrary library, const char* function) {
  // The names are those that this was compiled with.
  static Opened libraries[] = {{SIEVE_PANGO_CAIRO, "Pango (libpangocairo-1.0-0)"},
                               {SIEVE_PLPLOT, "PLplot (libplplot17)"}};
  Opened& o = libraries[static_cast<int>(library)];
  std::call_once(o.once, [&o] { o.handle = ::dlopen(o.file, RTLD_NOW | RTLD_LOCAL); });
  void* f = o.handle != nullptr ? ::dlsym(o.handle, function) : nullptr;
  if (f == nullptr)
    throw Error(fmt::format("drawing needs {} of {}, which cannot be opened here: install it", o.file, o.package));
  return f;
}

}  // namespace sieve::draw
