#include "diagnose/parts.hpp"

#include <algorithm>
#include <cstdint>

#include "sieve/core/parallel.hpp"

namespace sieve::internal {

Image sampled(const ConstView& in) {
  constexpr int kPart = 256, kAcross = 4;
  if (in.width() <= kPart * kAcross && in.height() <= kPart * kAcross) return Image(in);
  const int w = std::min(in.width(), kPart * kAcross), h = std::min(in.height(), kPart * kAcross);
  Image out(Shape{w, h, in.channels()}, in.white_level);
  // Where the part that holds a place of the result begins in the picture.
  const auto start = [](int part, int whole, int room) {
    const int parts = (room + kPart - 1) / kPart;
    return whole <= room || parts == 1 ? part * kPart
                                       : static_cast<int>(std::int64_t{part} * (whole - kPart) / (parts - 1)) / 8 * 8;
  };
  for (int c = 0; c < in.channels(); ++c) {
    parallel_rows(h, RowCost(w, 4), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float* row = in.row(start(y / kPart, in.height(), h) + y % kPart, c);
        for (int x = 0; x < w; x += kPart)
          std::copy_n(row + start(x / kPart, in.width(), w), std::min(kPart, w - x), out.row(y, c) + x);
      }
    });
  }
  return out;
}

ConstView middle(const ConstView& in, int width, int height) {
  const int w = std::min(width, in.width()), h = std::min(height, in.height());
  return in.part({(in.width() - w) / 2, (in.height() - h) / 2, w, h});
}

}  // namespace sieve::internal
