#include "denoise/nonlocal_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/nonlocal_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"
#include "denoise/falling-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// The window's height is a constant where kWindow is not 0: then the differences of a window stay in registers.
template <int kWindow, int kChannels>
void PatchColumnsOf(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) {
  const int window = kWindow == 0 ? p.window : kWindow;
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> block[kWindow == 0 ? kMostPatch : kWindow];
    const auto difference = [&](int y) HWY_ATTR {
      auto total = hn::Zero(d);
      for (int c = 0; c < kChannels; ++c) {
        const auto off = hn::Sub(hn::LoadU(d, p.a[c] + y * p.stride + x), hn::LoadU(d, p.b[c] + y * p.stride + x));
        total = hn::MulAdd(off, off, total);
      }
      return total;
    };
    // A window is the end of one block of rows and the beginning of the next: sums from either side of the seam are made
    // once for all windows across it, without differences of large sums.
    for (int i = 0; i < window; ++i) block[i] = difference(i);
    for (int y = 0;; y += window) {
      for (int i = window - 1; i-- > 0;) block[i] = hn::Add(block[i], block[i + 1]);
      hn::StoreU(block[0], d, columns + y * stride + x);
      auto ahead = hn::Zero(d);
      for (int k = 1; k < window && y + k < rows; ++k) {
        const auto next = difference(y + window + k - 1);
        ahead = hn::Add(ahead, next);
        hn::StoreU(hn::Add(block[k], ahead), d, columns + (y + k) * stride + x);
        block[k - 1] = next;
      }
      if (y + window >= rows) break;
      block[window - 1] = difference(y + 2 * window - 1);
    }
  });
}

template <int kWindow>
void PatchColumnsFor(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) {
  if (p.channels == 1) {
    PatchColumnsOf<kWindow, 1>(p, columns, stride, rows, n);
  } else {
    PatchColumnsOf<kWindow, 3>(p, columns, stride, rows, n);
  }
}

void PatchColumns(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) {
  switch (p.window) {
    case 3: return PatchColumnsFor<3>(p, columns, stride, rows, n);
    case 5: return PatchColumnsFor<5>(p, columns, stride, rows, n);
    case 7: return PatchColumnsFor<7>(p, columns, stride, rows, n);
    default: return PatchColumnsFor<0>(p, columns, stride, rows, n);
  }
}

template <int kWindow, int kChannels>
void SpreadOf(const float* columns, int window, float scale, float floor, const PairRows& all, std::size_t n) {
  const int count = kWindow == 0 ? window : kWindow;
  const PairRows r = all;  // by value: what is stored cannot change the pointers
  WholeVectors(n, [=](auto d, std::size_t x) HWY_ATTR {
    // Two chains, so that one addition need not wait for the last; the window is odd.
    auto total = hn::LoadU(d, columns + x), other = hn::Zero(d);
    for (int i = 1; i + 1 < count; i += 2) {
      total = hn::Add(total, hn::LoadU(d, columns + x + i));
      other = hn::Add(other, hn::LoadU(d, columns + x + i + 1));
    }
    const auto w = Falling(d, hn::Max(hn::Zero(d), hn::MulSub(hn::Add(total, other), hn::Set(d, scale), hn::Set(d, floor))));
    const auto give = [&](const Means& to, const float* const* f) HWY_ATTR {
      for (int c = 0; c < kChannels; ++c) hn::StoreU(hn::MulAdd(w, hn::LoadU(d, f[c] + x), hn::LoadU(d, to.sum[c] + x)), d, to.sum[c] + x);
      hn::StoreU(hn::Add(hn::LoadU(d, to.weight + x), w), d, to.weight + x);
      hn::StoreU(hn::Max(hn::LoadU(d, to.most + x), w), d, to.most + x);
    };
    give(r.here, r.there_f);
    give(r.there, r.here_f);
  });
}

template <int kWindow>
void SpreadFor(const float* columns, int window, float scale, float floor, const PairRows& r, int channels, std::size_t n) {
  if (channels == 1) {
    SpreadOf<kWindow, 1>(columns, window, scale, floor, r, n);
  } else {
    SpreadOf<kWindow, 3>(columns, window, scale, floor, r, n);
  }
}

void Spread(const float* columns, int window, float scale, float floor, const PairRows& r, int channels, std::size_t n) {
  switch (window) {
    case 3: return SpreadFor<3>(columns, window, scale, floor, r, channels, n);
    case 5: return SpreadFor<5>(columns, window, scale, floor, r, channels, n);
    case 7: return SpreadFor<7>(columns, window, scale, floor, r, channels, n);
    default: return SpreadFor<0>(columns, window, scale, floor, r, channels, n);
  }
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(PatchColumns);
HWY_EXPORT(Spread);

void patch_columns(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) { HWY_DYNAMIC_DISPATCH(PatchColumns)(p, columns, stride, rows, n); }
void spread(const float* columns, int window, float scale, float floor, const PairRows& rows, int channels, std::size_t n) { HWY_DYNAMIC_DISPATCH(Spread)(columns, window, scale, floor, rows, channels, n); }

}  // namespace sieve::lanes
#endif
