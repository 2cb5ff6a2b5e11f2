#include "illumination/finite_illumination.hpp"

#include <fmt/format.h>

#include <atomic>
#include <cmath>

#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/describe/words.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

namespace {

std::size_t count_odd(const float* row, int width) {
  int odd = 0;
  for (int x = 0; x < width; ++x) odd += row[x] - row[x] == 0 ? 0 : 1;
  return static_cast<std::size_t>(odd);
}

}  // namespace

ConstView internal::finite_illumination(const ConstView& in, Image& room) {
  const int colors = in.shape.color_channels();
  std::atomic<std::size_t> odd = 0;
  parallel_rows(in.height() * colors, static_cast<std::size_t>(in.width()) / 4 + 1, [&](int first, int last) {
    std::size_t here = 0;
    for (int i = first; i < last; ++i) here += count_odd(in.row(i % in.height(), i / in.height()), in.width());
    odd += here;
  });
  if (odd == 0) return in;
  note(counted(odd.load(), "sample is", "samples are") + " not finite: left out of the light");
  room = Image(in);
  for (int c = 0; c < colors; ++c) {
    const double mean = statistics(in.channel(c))[0].mean;
    const float filling = std::isfinite(mean) ? static_cast<float>(mean) : 0.0F;
    parallel_rows(in.height(), in.width(), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        float* row = room.view().row(y, c);
        for (int x = 0; x < in.width(); ++x) row[x] = std::isfinite(row[x]) ? row[x] : filling;
      }
    });
  }
  return room;
}

}  // namespace sieve
