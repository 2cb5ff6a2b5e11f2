#pragma once
// For filters whose every result depends on the whole picture: a single NaN would make all of it NaN.

#include <cmath>

#include "sieve/core/map.hpp"

namespace sieve::internal {

// work(in with 0 for what is not finite, out); what is not finite then stays as it was.
template <class Work>
void on_finite(const ConstView& in, const View& out, Work work) {
  const Image finite = map_samples(in, [](float v) { return std::isfinite(v) ? v : 0; });
  work(finite.view(), out);
  parallel_rows(in.height() * in.shape.color_channels(), in.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const float* a = in.row(i % in.height(), i / in.height());
      float* r = out.row(i % in.height(), i / in.height());
      for (int x = 0; x < in.width(); ++x) r[x] = std::isfinite(a[x]) ? r[x] : a[x];
    }
  });
}

}  // namespace sieve::internal
