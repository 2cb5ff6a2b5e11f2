#pragma once
// A file that can be read is written in its format and read once more: nothing has changed but by a loss that is told.

#include <cmath>
#include <cstdlib>
#include <string>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

namespace fuzz {

inline bool near_again(const sieve::Image& a, const sieve::Image& b) {
  if (a.shape() != b.shape()) return false;
  // Levels are written as the next whole ones; float samples as they are.
  const double most = b.white_level() > 0 ? 0.502 / b.white_level() : 0;
  for (int c = 0; c < a.channels(); ++c) {
    for (int y = 0; y < a.height(); ++y) {
      for (int x = 0; x < a.width(); ++x) {
        const float u = a.at(x, y, c), v = b.at(x, y, c);
        if (u != v && !(std::isnan(u) && std::isnan(v)) && !(std::abs(u - v) <= most)) return false;
      }
    }
  }
  return true;
}

// What was lost of a picture that was read, in words: nothing where all is well.
inline std::string lost_again(const sieve::io::Loaded& in, std::uint8_t choice) {
  using namespace sieve;
  io::Written written;
  io::WriteOptions options{.profile = in.profile, .record = in.record};
  const auto bytes = io::encode(in.format, in.image, options, &written);
  const io::Loaded out = io::decode(bytes.data(), bytes.size(), "again");
  if (out.format != in.format) return "the format";
  if (out.record != in.record) return "the record";
  const bool lossy = in.format == io::Format::jpeg || in.format == io::Format::packed;
  if (!lossy && written.note.empty() && !near_again(in.image, out.image)) return "samples";
  // In another format, as the choice has it.
  constexpr const char* kNames[] = {"a.png", "a.jpg", "a.tif", "a.pbm", "a.pgm", "a.ppm", "a.pfm", "a.npy", "a.lsv"};
  constexpr int kBits[] = {1, 2, 8, 16, 32};
  if (choice % 2 == 0) options.bits = kBits[choice / 2 % std::size(kBits)];
  options.compression = choice % 3 == 0 ? io::Compression::small : io::Compression::fast;
  options.record = "median";
  try {
    const auto other = io::encode(kNames[choice % std::size(kNames)], in.image, options);
    if (io::decode(other.data(), other.size(), "other").image.shape().pixels() != in.image.shape().pixels())
      return "the size";
  } catch (const InvalidArgument&) {
    // Not every format holds every picture.
  }
  return "";
}

inline void read_again(const std::uint8_t* data, std::size_t size) {
  sieve::io::Loaded in;
  try {
    in = sieve::io::decode(data, size, "fuzz", {.pixels = 1 << 16, .file_bytes = 1 << 20});
  } catch (const sieve::Error&) {
    return;
  }
  (void)sieve::statistics(in.image);
  // What comes back of a small one says enough.
  if (in.image.shape().pixels() <= 4096 && !lost_again(in, data[size - 1]).empty()) std::abort();
}

}  // namespace fuzz
