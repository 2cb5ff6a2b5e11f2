#pragma once
// What reading and writing PNG share: errors of libpng, and chunks made here.

#include <png.h>

#include <cstdint>
#include <string_view>
#include <vector>

#include "io/c_calls.hpp"
#include "io/deflate.hpp"

namespace sieve::io {

[[noreturn]] inline void on_png_error(png_structp png, png_const_charp message) {
  static_cast<CCalls*>(png_get_error_ptr(png))->give_up(message);
}
inline void on_png_warning(png_structp, png_const_charp) {}

inline void append_chunk(std::vector<std::uint8_t>& out, std::string_view type, const std::vector<std::uint8_t>& data) {
  const auto number = [&](std::uint32_t v) {
    for (const int shift : {24, 16, 8, 0}) out.push_back(static_cast<std::uint8_t>(v >> shift));
  };
  number(static_cast<std::uint32_t>(data.size()));
  const std::size_t begin = out.size();
  out.insert(out.end(), type.begin(), type.end());
  out.insert(out.end(), data.begin(), data.end());
  number(crc_of(out.data() + begin, out.size() - begin));
}

}  // namespace sieve::io
