// Files of one format, built out of the bytes: FORMAT is png, tiff, jpeg, pnm or npy.

#include "built_files.hpp"
#include "read_again.hpp"

#define BUILT_OF(format) built_##format
#define BUILT(format) BUILT_OF(format)

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  fuzz::Bytes bytes({data, size});
  const fuzz::File file = fuzz::BUILT(FORMAT)(bytes);
  fuzz::read_again(file.data(), file.size());
  return 0;
}
