#include "spatial/extreme_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spatial/extreme_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <limits>

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

struct Least {
  template <class V>
  HWY_INLINE V operator()(V a, V b) const { return hn::Min(a, b); }
};
struct Most {
  template <class V>
  HWY_INLINE V operator()(V a, V b) const { return hn::Max(a, b); }
};

template <class F>
HWY_INLINE void Along(std::size_t n, F body) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) body(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) body(one, x);
}

template <class Pick>
void RowOf(float* in, std::size_t window, float* out, std::size_t n, Pick pick) {
  std::size_t have = n + window - 1;
  Along(have, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, in + x);
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), hn::Set(d, std::numeric_limits<float>::infinity()), v), d, in + x);
  });
  // Windows of doubling width, in place: each sample only reads samples to its right. The last step overlaps.
  std::size_t width = 1;
  while (2 * width < window) {
    have -= width;
    Along(have, [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(pick(hn::LoadU(d, in + x), hn::LoadU(d, in + x + width)), d, in + x); });
    width *= 2;
  }
  const std::size_t rest = window - width;
  Along(n, [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(pick(hn::LoadU(d, in + x), hn::LoadU(d, in + x + rest)), d, out + x); });
}

template <class Pick>
void ColumnsOf(const float* const* in, std::size_t window, float* const* out, std::size_t n, std::size_t width, float* scratch, Pick pick) {
  // Block by block: the extremes from each row to the block's end, backward, then from the next block's start, forward.
  for (std::size_t start = 0; start < n; start += window) {
    for (std::size_t k = window; k-- > 0;) {
      const float* row = in[start + k];
      float *here = scratch + k * width, *next = here + width;
      const bool last = k + 1 == window;
      Along(width, [&](auto d, std::size_t x) HWY_ATTR {
        const auto v = hn::LoadU(d, row + x);
        hn::StoreU(last ? v : pick(v, hn::LoadU(d, next + x)), d, here + x);
      });
    }
    const std::size_t count = std::min(window, n - start);
    std::copy(scratch, scratch + width, out[start]);
    // The running extreme takes the place of scratch rows that are used up.
    float* run = scratch;
    for (std::size_t k = 1; k < count; ++k) {
      const float* row = in[start + window + k - 1];
      const float* tail = scratch + k * width;
      float* to = out[start + k];
      const bool first = k == 1;
      Along(width, [&](auto d, std::size_t x) HWY_ATTR {
        auto v = hn::LoadU(d, row + x);
        if (!first) v = pick(v, hn::LoadU(d, run + x));
        hn::StoreU(v, d, run + x);
        hn::StoreU(pick(v, hn::LoadU(d, tail + x)), d, to + x);
      });
    }
  }
}

void RowExtremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n) {
  maximum ? RowOf(in, window, out, n, Most()) : RowOf(in, window, out, n, Least());
}
void ColumnExtremes(const float* const* in, std::size_t window, bool maximum, float* const* out, std::size_t n, std::size_t width, float* scratch) {
  maximum ? ColumnsOf(in, window, out, n, width, scratch, Most()) : ColumnsOf(in, window, out, n, width, scratch, Least());
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(RowExtremes);
HWY_EXPORT(ColumnExtremes);

void row_extremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(RowExtremes)(in, window, maximum, out, n); }
void column_extremes(const float* const* in, std::size_t window, bool maximum, float* const* out, std::size_t n, std::size_t width, float* scratch) {
  HWY_DYNAMIC_DISPATCH(ColumnExtremes)(in, window, maximum, out, n, width, scratch);
}

}  // namespace sieve::lanes
#endif
