#include "diagnose/parts.hpp"

#include <algorithm>
#include <cstdint>

namespace sieve::internal {

Image sampled(const ConstView& in) {
  constexpr int kPart = 256, kAcross = 4;
  if (in.width() <= kPart * kAcross && in.height() <= kPart * kAcross) return Image(in);
  const int w = std::min(in.width(), kPart * kAcross), h = std::min(in.height(), kPart * kAcross);
  Image out(Shape{w, h, in.channels()}, in.white_level);
  const auto from = [](int at, int whole, int room) {
    const int parts = (room + kPart - 1) / kPart, part = at / kPart;
    return whole <= room || parts == 1
               ? at
               : static_cast<int>(std::int64_t{part} * (whole - kPart) / (parts - 1)) / 8 * 8 + at % kPart;
  };
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < h; ++y) {
      const float* row = in.row(from(y, in.height(), h), c);
      float* r = out.row(y, c);
      for (int x = 0; x < w; ++x) r[x] = row[from(x, in.width(), w)];
    }
  }
  return out;
}

ConstView middle(const ConstView& in, int width, int height) {
  const int w = std::min(width, in.width()), h = std::min(height, in.height());
  return in.part({(in.width() - w) / 2, (in.height() - h) / 2, w, h});
}

}  // namespace sieve::internal
