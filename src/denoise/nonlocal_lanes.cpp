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
    hn::Vec<decltype(d)> ring[kWindow == 0 ? kMostPatch : kWindow];
    const auto difference = [&](int y) HWY_ATTR {
      auto total = hn::Zero(d);
      for (int c = 0; c < kChannels; ++c) {
        const auto off = hn::Sub(hn::LoadU(d, p.a[c] + y * p.stride + x), hn::LoadU(d, p.b[c] + y * p.stride + x));
        total = hn::MulAdd(off, off, total);
      }
      return total;
    };
    for (int i = 0; i + 1 < window; ++i) ring[i] = difference(i);
    for (int y = 0; y < rows; y += window) {
      for (int k = 0; k < window && y + k < rows; ++k) {
        ring[k == 0 ? window - 1 : k - 1] = difference(y + k + window - 1);
        // Summed anew each time: no rounding is carried along.
        auto total = ring[0], other = hn::Zero(d);
        for (int i = 1; i + 1 < window; i += 2) {
          total = hn::Add(total, ring[i]);
          other = hn::Add(other, ring[i + 1]);
        }
        hn::StoreU(hn::Add(total, other), d, columns + (y + k) * stride + x);
      }
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

template <int kWindow>
void PatchWeightsFor(const float* columns, int window, float scale, float floor, float* w, std::size_t n) {
  const int count = kWindow == 0 ? window : kWindow;
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    // Two chains, so that one addition need not wait for the last; the window is odd.
    auto total = hn::LoadU(d, columns + x), other = hn::Zero(d);
    for (int i = 1; i + 1 < count; i += 2) {
      total = hn::Add(total, hn::LoadU(d, columns + x + i));
      other = hn::Add(other, hn::LoadU(d, columns + x + i + 1));
    }
    hn::StoreU(Falling(d, hn::Max(hn::Zero(d), hn::MulSub(hn::Add(total, other), hn::Set(d, scale), hn::Set(d, floor)))), d, w + x);
  });
}

void PatchWeights(const float* columns, int window, float scale, float floor, float* w, std::size_t n) {
  switch (window) {
    case 3: return PatchWeightsFor<3>(columns, window, scale, floor, w, n);
    case 5: return PatchWeightsFor<5>(columns, window, scale, floor, w, n);
    case 7: return PatchWeightsFor<7>(columns, window, scale, floor, w, n);
    default: return PatchWeightsFor<0>(columns, window, scale, floor, w, n);
  }
}

template <int kChannels>
void AddWeightedOf(const WeightedRows& all, std::size_t n) {
  const WeightedRows r = all;  // by value: what is stored cannot change the pointers
  WholeVectors(n, [=](auto d, std::size_t x) HWY_ATTR {
    const auto w = hn::LoadU(d, r.w + x), v = hn::LoadU(d, r.v + x);
    for (int c = 0; c < kChannels; ++c) {
      hn::StoreU(hn::MulAdd(w, hn::LoadU(d, r.ahead[c] + x), hn::MulAdd(v, hn::LoadU(d, r.behind[c] + x), hn::LoadU(d, r.sum[c] + x))), d, r.sum[c] + x);
    }
    hn::StoreU(hn::Add(hn::LoadU(d, r.weight + x), hn::Add(w, v)), d, r.weight + x);
    hn::StoreU(hn::Max(hn::LoadU(d, r.most + x), hn::Max(w, v)), d, r.most + x);
  });
}

void AddWeighted(const WeightedRows& r, int channels, std::size_t n) {
  if (channels == 1) {
    AddWeightedOf<1>(r, n);
  } else {
    AddWeightedOf<3>(r, n);
  }
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(PatchColumns);
HWY_EXPORT(PatchWeights);
HWY_EXPORT(AddWeighted);

void patch_columns(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) { HWY_DYNAMIC_DISPATCH(PatchColumns)(p, columns, stride, rows, n); }
void patch_weights(const float* columns, int window, float scale, float floor, float* w, std::size_t n) { HWY_DYNAMIC_DISPATCH(PatchWeights)(columns, window, scale, floor, w, n); }
void add_weighted(const WeightedRows& rows, int channels, std::size_t n) { HWY_DYNAMIC_DISPATCH(AddWeighted)(rows, channels, n); }

}  // namespace sieve::lanes
#endif
