#pragma once
/// How the text of a parameter reaches files.

#include <functional>
#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {

class Catalogue;  // of filters, see sieve/filter/catalogue.hpp

/// How a parameter's text opens files: whoever reads chains hands it over, so that the filters themselves read none.
/// io::resources() (sieve/io.hpp) is the usual one: the files of this machine.
struct Resources {
  /// The picture of a name, for parameters that hold a second picture.
  std::function<Image(const std::string& name)> picture = {};
  /// The whole text of a file, for kernels and curves (`@FILE`).
  std::function<std::string(const std::string& name)> text = {};
  /// The filters that a chain as a value may name; null: those of the library. Whoever reads chains sets it.
  const Catalogue* catalogue = nullptr;

  /// What `picture` gives. InvalidArgument that says what to hand over, where it is empty.
  Image open_picture(const std::string& name) const;
  /// What `text` gives. InvalidArgument that says what to hand over, where it is empty.
  std::string open_text(const std::string& name) const;
};

}  // namespace sieve
