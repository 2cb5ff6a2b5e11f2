#include "spatial/extreme_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spatial/extreme_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <algorithm>
#include <limits>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

struct Least {
  template <class V>
  HWY_INLINE V operator()(V a, V b) const {
    return hn::Min(a, b);
  }
};
struct Most {
  template <class V>
  HWY_INLINE V operator()(V a, V b) const {
    return hn::Max(a, b);
  }
};

template <class Pick>
void RowOf(float* in, std::size_t window, float* out, std::size_t n, Pick pick) {
  std::size_t have = n + window - 1;
  EachVector(have, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, in + x);
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), hn::Set(d, std::numeric_limits<float>::infinity()), v), d, in + x);
  });
  // Windows of doubling width, in place: each sample only reads samples to its right. The last step overlaps.
  std::size_t width = 1;
  while (2 * width < window) {
    have -= width;
    EachVector(have, [&](auto d, std::size_t x)
                         HWY_ATTR { hn::StoreU(pick(hn::LoadU(d, in + x), hn::LoadU(d, in + x + width)), d, in + x); });
    width *= 2;
  }
  const std::size_t rest = window - width;
  EachVector(n, [&](auto d, std::size_t x)
                    HWY_ATTR { hn::StoreU(pick(hn::LoadU(d, in + x), hn::LoadU(d, in + x + rest)), d, out + x); });
}

// kVectors vectors of columns at x; the running extremes stay in registers. Block by block: from each row to the
// block's end, backward, then from the next block's start, forward.
template <std::size_t kVectors, class D, class Pick>
HWY_INLINE void SomeColumns(D d, const float* const* in, std::size_t window, float* const* out, std::size_t n,
                            std::size_t x, float* scratch, Pick pick) {
  static_assert(kVectors == 1 || kVectors == 4);
  const std::size_t N = hn::Lanes(d), width = kVectors * N;
  for (std::size_t start = 0; start < n; start += window) {
    const float* row = in[start + window - 1] + x;
    auto a = hn::LoadU(d, row), b = a, c = a, e = a;
    if constexpr (kVectors == 4) {
      b = hn::LoadU(d, row + N);
      c = hn::LoadU(d, row + 2 * N);
      e = hn::LoadU(d, row + 3 * N);
    }
    const auto keep = [&](float* to) HWY_ATTR {
      hn::StoreU(a, d, to);
      if constexpr (kVectors == 4) {
        hn::StoreU(b, d, to + N);
        hn::StoreU(c, d, to + 2 * N);
        hn::StoreU(e, d, to + 3 * N);
      }
    };
    const auto take = [&](const float* from) HWY_ATTR {
      a = pick(a, hn::LoadU(d, from));
      if constexpr (kVectors == 4) {
        b = pick(b, hn::LoadU(d, from + N));
        c = pick(c, hn::LoadU(d, from + 2 * N));
        e = pick(e, hn::LoadU(d, from + 3 * N));
      }
    };
    keep(scratch + (window - 1) * width);
    for (std::size_t k = window - 1; k-- > 0;) {
      take(in[start + k] + x);
      keep(scratch + k * width);
    }
    keep(out[start] + x);
    const std::size_t count = std::min(window, n - start);
    for (std::size_t k = 1; k < count; ++k) {
      const float* next = in[start + window + k - 1] + x;
      if (k == 1) {
        a = hn::LoadU(d, next);
        if constexpr (kVectors == 4) {
          b = hn::LoadU(d, next + N);
          c = hn::LoadU(d, next + 2 * N);
          e = hn::LoadU(d, next + 3 * N);
        }
      } else {
        take(next);
      }
      const float* tail = scratch + k * width;
      float* to = out[start + k] + x;
      hn::StoreU(pick(a, hn::LoadU(d, tail)), d, to);
      if constexpr (kVectors == 4) {
        hn::StoreU(pick(b, hn::LoadU(d, tail + N)), d, to + N);
        hn::StoreU(pick(c, hn::LoadU(d, tail + 2 * N)), d, to + 2 * N);
        hn::StoreU(pick(e, hn::LoadU(d, tail + 3 * N)), d, to + 3 * N);
      }
    }
  }
}

template <class Pick>
void ColumnsOf(const float* const* in, std::size_t window, float* const* out, std::size_t n, std::size_t width,
               float* scratch, Pick pick) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + 4 * N <= width; x += 4 * N) SomeColumns<4>(d, in, window, out, n, x, scratch, pick);
  for (; x + N <= width; x += N) SomeColumns<1>(d, in, window, out, n, x, scratch, pick);
  const hn::CappedTag<float, 1> one;
  for (; x < width; ++x) SomeColumns<1>(one, in, window, out, n, x, scratch, pick);
}

void RowExtremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n) {
  maximum ? RowOf(in, window, out, n, Most()) : RowOf(in, window, out, n, Least());
}
void ColumnExtremes(const float* const* in, std::size_t window, bool maximum, float* const* out, std::size_t n,
                    std::size_t width, float* scratch) {
  maximum ? ColumnsOf(in, window, out, n, width, scratch, Most())
          : ColumnsOf(in, window, out, n, width, scratch, Least());
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(RowExtremes);
HWY_EXPORT(ColumnExtremes);

void row_extremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(RowExtremes)(in, window, maximum, out, n);
}
void column_extremes(const float* const* in, std::size_t window, bool maximum, float* const* out, std::size_t n,
                     std::size_t width, float* scratch) {
  HWY_DYNAMIC_DISPATCH(ColumnExtremes)(in, window, maximum, out, n, width, scratch);
}

}  // namespace sieve::internal::lanes
#endif
