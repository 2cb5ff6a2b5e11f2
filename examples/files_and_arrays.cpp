// Files: what one picture takes in each, into memory and back, and as an array for a notebook.
// Usage: files_and_arrays IN OUT.npy

#include <cstdio>

#include "sieve/io.hpp"
#include "sieve/sharpen.hpp"

int main(int argc, char** argv) {
  using namespace sieve;
  if (argc != 3) {
    std::fprintf(stderr, "usage: files_and_arrays IN OUT.npy\n");
    return 1;
  }
  try {
    const io::Loaded in = io::read(argv[1]);
    for (const auto& [name, compression] : ChoiceNames<io::Compression>::all()) {
      const auto bytes = io::encode(io::Format::png, in.image, {.compression = compression});
      const io::Loaded back = io::decode(bytes.data(), bytes.size(), "memory.png");
      std::printf("PNG, %-6s %8zu bytes, %s\n", name, bytes.size(),
                  identical(back.image, in.image) ? "every sample back" : "samples lost");
    }
    // Overshoots beyond 0..1 stay in floats; in 8 bits they are counted, and lost.
    const Image sharp = Unsharp{}(in.image);
    io::Written eight;
    (void)io::encode("sharp.png", sharp, {.bits = 8}, &eight);
    const io::Written whole = io::write(argv[2], sharp, {.bits = 32});
    std::printf("outside 0..1: %zu samples lost in 8 bits, %zu in floats\n", eight.saturation.total(),
                whole.saturation.total());
  } catch (const Error& e) {
    std::fprintf(stderr, "%s\n", e.what());
    return 1;
  }
  return 0;
}
