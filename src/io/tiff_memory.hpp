#pragma once
// A TIFF in memory, read or written, as libtiff wants to see one.

#include <tiffio.h>

#include <cstdint>
#include <memory>
#include <string>
#include <vector>

namespace sieve::io {

struct TiffMemory {
  const std::uint8_t* in = nullptr;
  std::size_t size = 0;
  std::vector<std::uint8_t> out;
  std::size_t at = 0;
  bool writing = false;
  std::string last_error;
};

struct TiffCloser {
  void operator()(TIFF* t) const { TIFFClose(t); }
};
using TiffHandle = std::unique_ptr<TIFF, TiffCloser>;

// Null where it cannot be opened; `memory` then holds why. The library allocates no block of more than `largest` bytes.
TiffHandle open_tiff(TiffMemory& memory, const char* mode, const std::string& name, std::uint64_t largest);

}  // namespace sieve::io
