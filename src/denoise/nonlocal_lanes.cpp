#include "denoise/nonlocal_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/nonlocal_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"
#include "denoise/falling-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// The window's height is a constant where kWindow is not 0: then the differences of a window stay in registers.
template <int kWindow, int kChannels>
void PatchColumnsOf(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) {
  const int window = kWindow == 0 ? p.window : kWindow;
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> block[kWindow == 0 ? kMostPatch : kWindow];
    const float *a[kChannels], *b[kChannels];
    for (int c = 0; c < kChannels; ++c) {
      a[c] = p.a[c] + x;
      b[c] = p.b[c] + x;
    }
    float* to = columns + x;
    // Of one row after the other.
    const auto difference = [&]() HWY_ATTR {
      auto total = hn::Zero(d);
      for (int c = 0; c < kChannels; ++c) {
        const auto off = hn::Sub(hn::LoadU(d, a[c]), hn::LoadU(d, b[c]));
        total = c == 0 ? hn::Mul(off, off) : hn::MulAdd(off, off, total);
        a[c] += p.stride;
        b[c] += p.stride;
      }
      return total;
    };
    const auto store = [&](auto sum) HWY_ATTR {
      hn::StoreU(sum, d, to);
      to += stride;
    };
    // A window is the end of one block of rows and the beginning of the next: sums from either side of the seam are
    // made once for all windows across it, without differences of large sums.
    for (int i = 0; i < window; ++i) block[i] = difference();
    for (int y = 0;; y += window) {
      for (int i = window - 1; i-- > 0;) block[i] = hn::Add(block[i], block[i + 1]);
      store(block[0]);
      auto ahead = hn::Zero(d);
      for (int k = 1; k < window && y + k < rows; ++k) {
        const auto next = difference();
        ahead = k == 1 ? next : hn::Add(ahead, next);
        store(hn::Add(block[k], ahead));
        block[k - 1] = next;
      }
      if (y + window >= rows) break;
      block[window - 1] = difference();
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
    case 3:
      return PatchColumnsFor<3>(p, columns, stride, rows, n);
    case 5:
      return PatchColumnsFor<5>(p, columns, stride, rows, n);
    case 7:
      return PatchColumnsFor<7>(p, columns, stride, rows, n);
    default:
      return PatchColumnsFor<0>(p, columns, stride, rows, n);
  }
}

template <int kWindow>
void PatchWeightsOf(const float* columns, int window, float scale, float floor, float* weights, std::size_t n) {
  const int count = kWindow == 0 ? window : kWindow;
  WholeVectors(n, [=](auto d, std::size_t x) HWY_ATTR {
    // Two chains, so that one addition need not wait for the last; the window is odd.
    auto total = hn::LoadU(d, columns + x), other = hn::Zero(d);
    for (int i = 1; i + 1 < count; i += 2) {
      total = hn::Add(total, hn::LoadU(d, columns + x + i));
      other = hn::Add(other, hn::LoadU(d, columns + x + i + 1));
    }
    hn::StoreU(Falling(d, hn::MulSub(hn::Add(total, other), hn::Set(d, scale), hn::Set(d, floor))), d, weights + x);
  });
}

void PatchWeights(const float* columns, int window, float scale, float floor, float* weights, std::size_t n) {
  switch (window) {
    case 3:
      return PatchWeightsOf<3>(columns, window, scale, floor, weights, n);
    case 5:
      return PatchWeightsOf<5>(columns, window, scale, floor, weights, n);
    case 7:
      return PatchWeightsOf<7>(columns, window, scale, floor, weights, n);
    default:
      return PatchWeightsOf<0>(columns, window, scale, floor, weights, n);
  }
}

template <int kChannels>
void GatherMeansOf(const Weighted& from, const Means& to, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  // Two vectors at a time, so that the additions of one need not wait for those of the other.
  for (std::size_t x = 0; x < n; x += 2 * N) {
    hn::Vec<decltype(d)> sum[2][kChannels], weight[2], most[2];
    for (std::size_t i = 0; i < 2; ++i) {
      for (int c = 0; c < kChannels; ++c) sum[i][c] = hn::LoadU(d, to.sum[c] + x + i * N);
      weight[i] = hn::LoadU(d, to.weight + x + i * N);
      most[i] = hn::LoadU(d, to.most + x + i * N);
    }
    for (int k = 0; k < from.count; ++k) {
      const float* w = from.weights + k * from.weight_step + static_cast<std::ptrdiff_t>(x);
      for (std::size_t i = 0; i < 2; ++i) {
        const auto share = hn::LoadU(d, w + i * N);
        for (int c = 0; c < kChannels; ++c)
          sum[i][c] = hn::MulAdd(
              share, hn::LoadU(d, from.samples[c] + k * from.sample_step + static_cast<std::ptrdiff_t>(x + i * N)),
              sum[i][c]);
        weight[i] = hn::Add(weight[i], share);
        most[i] = hn::Max(most[i], share);
      }
    }
    for (std::size_t i = 0; i < 2; ++i) {
      for (int c = 0; c < kChannels; ++c) hn::StoreU(sum[i][c], d, to.sum[c] + x + i * N);
      hn::StoreU(weight[i], d, to.weight + x + i * N);
      hn::StoreU(most[i], d, to.most + x + i * N);
    }
  }
}
void GatherMeans(const Weighted& from, const Means& to, std::size_t n) {
  from.channels == 1 ? GatherMeansOf<1>(from, to, n) : GatherMeansOf<3>(from, to, n);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(PatchColumns);
HWY_EXPORT(PatchWeights);
HWY_EXPORT(GatherMeans);

void patch_columns(const PatchRows& p, float* columns, std::ptrdiff_t stride, int rows, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(PatchColumns)(p, columns, stride, rows, n);
}
void patch_weights(const float* columns, int window, float scale, float floor, float* weights, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(PatchWeights)(columns, window, scale, floor, weights, n);
}
void gather_means(const Weighted& from, const Means& to, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(GatherMeans)(from, to, n);
}

}  // namespace sieve::internal::lanes
#endif
