// Files of one format, built out of the bytes: FORMAT is png, tiff, jpeg, pnm or npy.

#include "built_files.hpp"
#include "sieve/io.hpp"

#define BUILT_OF(format) built_##format
#define BUILT(format) BUILT_OF(format)

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  fuzz::Bytes bytes({data, size});
  const fuzz::File file = fuzz::BUILT(FORMAT)(bytes);
  try {
    const sieve::io::Loaded in =
        sieve::io::decode(file.data(), file.size(), "fuzz", {.pixels = 1 << 16, .file_bytes = 1 << 20});
    // What was read is a picture like any other.
    (void)sieve::statistics(in.image);
  } catch (const sieve::Error&) {
  }
  return 0;
}
