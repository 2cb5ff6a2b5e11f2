#pragma once
// Passes over all rows of the color channels, shared by the point operations.

#include "core/rows.hpp"
#include "sieve/core/image.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal {

struct Ends {
  float low, high;
};

// The smallest and largest finite sample of a channel, of the luma (luma_channel), or of all color channels together
// (every_channel); +infinity and -infinity where there is none.
constexpr int every_channel = -2;
Ends finite_range(const ConstView& in, int channel = every_channel);

// work(from, to, n, stream) for every row of the color channels, results past the cache where they are large.
template <class Work>
void each_row(const ConstView& in, const View& out, Work work) {
  const bool stream = rows::streams(out.shape.samples());
  const auto n = static_cast<std::size_t>(in.width());
  parallel_rows(in.height() * in.shape.color_channels(), n, [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % in.height(), c = i / in.height();
      work(in.row(y, c), out.row(y, c), n, stream);
    }
  });
  copy_alpha(in, out);
}

// work(a, b, c, to_a, to_b, to_c, n) for every row of a color picture.
template <class Work>
void each_color_row(const ConstView& in, const View& out, Work work) {
  const auto n = static_cast<std::size_t>(in.width());
  parallel_rows(in.height(), 3 * n, [&](int first, int last) {
    for (int y = first; y < last; ++y)
      work(in.row(y, 0), in.row(y, 1), in.row(y, 2), out.row(y, 0), out.row(y, 1), out.row(y, 2), n);
  });
  copy_alpha(in, out);
}

}  // namespace sieve::internal
