#include "spatial/extreme_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spatial/extreme_lanes.cpp"
#include <hwy/cache_control.h>
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <algorithm>
#include <cstdint>
#include <limits>
#include <type_traits>

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

// v[j] = extreme of the vectors j..j + window - 1, lane by lane, for j < count, in place. Block by block: from each
// vector to the block's end, backward, then from the next block's start, forward (van Herk, Pattern Recognition Letters
// 13, 1992; Gil and Werman, IEEE Transactions on Pattern Analysis and Machine Intelligence 15, 1993).
template <class Pick>
void VectorsOf(float* v, std::size_t window, std::size_t count, Pick pick) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  for (std::size_t start = 0; start < count; start += window) {
    float* block = v + start * N;
    auto a = hn::LoadU(d, block + (window - 1) * N);
    for (std::size_t k = window - 1; k-- > 0;) {
      a = pick(a, hn::LoadU(d, block + k * N));
      hn::StoreU(a, d, block + k * N);
    }
    const std::size_t last = std::min(window, count - start);
    if (last < 2) return;
    const float* next = block + window * N;
    a = hn::LoadU(d, next);
    for (std::size_t k = 1; k < last; ++k, next += N) {
      a = pick(a, hn::LoadU(d, next));
      hn::StoreU(pick(hn::LoadU(d, block + k * N), a), d, block + k * N);
    }
  }
}

template <class Pick>
void RowOf(float* in, std::size_t window, float* out, std::size_t n, bool stream, Pick pick) {
  const std::size_t N = hn::Lanes(hn::ScalableTag<float>());
  std::size_t have = n + window - 1;
  const auto at = [in](auto d, std::size_t x) HWY_ATTR { return hn::LoadU(d, in + x); };
  const auto number = [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = at(d, x);
    return hn::IfThenElse(hn::IsNaN(v), hn::Set(d, std::numeric_limits<float>::infinity()), v);
  };
  // Windows of growing width, in place: each sample only reads samples to its right.
  std::size_t width = 1;
  if (window > 2) {
    EachVector(--have,
               [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(pick(number(d, x), number(d, x + 1)), d, in + x); });
    width = 2;
  } else {
    EachVector(have, [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(number(d, x), d, in + x); });
  }
  // From windows as wide as a vector on, those of large windows are found whole vectors at a time.
  const bool large = N > 1 && window >= 8 * N;
  const std::size_t most = large ? N : window - 1;
  for (; 4 * width <= most; width *= 4) {
    have -= 3 * width;
    EachVector(have, [&](auto d, std::size_t x) HWY_ATTR {
      const auto a = pick(at(d, x), at(d, x + width)), b = pick(at(d, x + 2 * width), at(d, x + 3 * width));
      hn::StoreU(pick(a, b), d, in + x);
    });
  }
  if (2 * width <= most) {
    EachVector(have - width,
               [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(pick(at(d, x), at(d, x + width)), d, in + x); });
    width *= 2;
  }
  if (large) {
    width = window / N * N;
    VectorsOf(in, window / N, (n + window - width + N - 1) / N, pick);
  }
  // The last step overlaps.
  const std::size_t rest = window - width;
  const auto last = [&](auto d, std::size_t x) HWY_ATTR { return pick(at(d, x), at(d, x + rest)); };
  if (stream && reinterpret_cast<std::uintptr_t>(out) % (N * sizeof(float)) == 0) {
    EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
      if constexpr (std::is_same_v<decltype(d), hn::ScalableTag<float>>) {
        hn::Stream(last(d, x), d, out + x);
      } else {
        hn::StoreU(last(d, x), d, out + x);
      }
    });
  } else {
    EachVector(n, [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(last(d, x), d, out + x); });
  }
}

// kVectors vectors of columns at x; the running extremes stay in registers. Blocks as in VectorsOf().
template <std::size_t kVectors, class D, class Pick>
HWY_INLINE void SomeColumns(D d, const ColumnRows& rows, std::size_t window, float* const* out, std::size_t n,
                            std::size_t x, float* scratch, Pick pick) {
  static_assert(kVectors == 1 || kVectors == 4);
  const std::size_t N = hn::Lanes(d), width = kVectors * N;
  const float* const* in = rows.in;
  for (std::size_t start = 0; start < n; start += window) {
    // Rows of the block that differ: those before the first of them, and behind the last, are the same again.
    const std::size_t high = std::min(window - 1, rows.last > start ? rows.last - start : 0),
                      low = std::min(high, rows.first > start ? rows.first - start : 0);
    const std::size_t count = std::min(window, n - start);
    const float* row = in[start + high] + x;
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
    // Rows lie too far apart for the processor to guess which memory comes next.
    const auto expect = [&](std::size_t row_ahead) HWY_ATTR {
      if constexpr (kVectors == 4) {
        const float* ahead = in[row_ahead] + x;
        for (std::size_t i = 0; i < kVectors; ++i) hwy::Prefetch(ahead + i * N);
      }
    };
    constexpr std::size_t kAhead = 12;
    keep(scratch + high * width);
    for (std::size_t k = high; k-- > low;) {
      expect(start + (k > low + kAhead ? k - kAhead : low));
      take(in[start + k] + x);
      if (k < count || k == low) keep(scratch + k * width);
    }
    keep(out[start] + x);
    for (std::size_t k = 1; k < count; ++k) {
      const std::size_t next = start + window + k - 1;
      const float* from = in[next] + x;
      if (k == 1) {
        a = hn::LoadU(d, from);
        if constexpr (kVectors == 4) {
          b = hn::LoadU(d, from + N);
          c = hn::LoadU(d, from + 2 * N);
          e = hn::LoadU(d, from + 3 * N);
        }
      } else if (next <= rows.last) {
        expect(std::min(next + kAhead, rows.last));
        take(from);
      }
      const float* tail = scratch + std::clamp(k, low, high) * width;
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
void ColumnsOf(const ColumnRows& rows, std::size_t window, float* const* out, std::size_t n, std::size_t width,
               float* scratch, Pick pick) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + 4 * N <= width; x += 4 * N) SomeColumns<4>(d, rows, window, out, n, x, scratch, pick);
  for (; x + N <= width; x += N) SomeColumns<1>(d, rows, window, out, n, x, scratch, pick);
  const hn::CappedTag<float, 1> one;
  for (; x < width; ++x) SomeColumns<1>(one, rows, window, out, n, x, scratch, pick);
}

void RowExtremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n, bool stream) {
  maximum ? RowOf(in, window, out, n, stream, Most()) : RowOf(in, window, out, n, stream, Least());
}
void ColumnExtremes(const ColumnRows& rows, std::size_t window, bool maximum, float* const* out, std::size_t n,
                    std::size_t width, float* scratch) {
  maximum ? ColumnsOf(rows, window, out, n, width, scratch, Most())
          : ColumnsOf(rows, window, out, n, width, scratch, Least());
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(RowExtremes);
HWY_EXPORT(ColumnExtremes);

void row_extremes(float* in, std::size_t window, bool maximum, float* out, std::size_t n, bool stream) {
  HWY_DYNAMIC_DISPATCH(RowExtremes)(in, window, maximum, out, n, stream);
}
void column_extremes(const ColumnRows& rows, std::size_t window, bool maximum, float* const* out, std::size_t n,
                     std::size_t width, float* scratch) {
  HWY_DYNAMIC_DISPATCH(ColumnExtremes)(rows, window, maximum, out, n, width, scratch);
}

}  // namespace sieve::internal::lanes
#endif
