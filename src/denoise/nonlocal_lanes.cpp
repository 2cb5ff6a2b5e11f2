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

void Differences(const float* const* a, const float* const* b, int channels, float* out, std::size_t n) {
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    auto total = hn::Zero(d);
    for (int c = 0; c < channels; ++c) {
      const auto off = hn::Sub(hn::LoadU(d, a[c] + x), hn::LoadU(d, b[c] + x));
      total = hn::MulAdd(off, off, total);
    }
    hn::StoreU(total, d, out + x);
  });
}

void PatchWeights(const float* const* rows, int window, float scale, float floor, float* columns, float* w, std::size_t n) {
  // Two chains, so that one addition need not wait for the last; the window is odd.
  WholeVectors(n + static_cast<std::size_t>(window) - 1, [&](auto d, std::size_t x) HWY_ATTR {
    auto total = hn::LoadU(d, rows[0] + x), other = hn::Zero(d);
    for (int i = 1; i + 1 < window; i += 2) {
      total = hn::Add(total, hn::LoadU(d, rows[i] + x));
      other = hn::Add(other, hn::LoadU(d, rows[i + 1] + x));
    }
    hn::StoreU(hn::Add(total, other), d, columns + x);
  });
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    auto total = hn::LoadU(d, columns + x), other = hn::Zero(d);
    for (int i = 1; i + 1 < window; i += 2) {
      total = hn::Add(total, hn::LoadU(d, columns + x + i));
      other = hn::Add(other, hn::LoadU(d, columns + x + i + 1));
    }
    hn::StoreU(Falling(d, hn::Max(hn::Zero(d), hn::MulSub(hn::Add(total, other), hn::Set(d, scale), hn::Set(d, floor)))), d, w + x);
  });
}

void AddWeighted(const WeightedRows& r, int channels, std::size_t n) {
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto w = hn::LoadU(d, r.w + x), v = hn::LoadU(d, r.v + x);
    for (int c = 0; c < channels; ++c) {
      hn::StoreU(hn::MulAdd(w, hn::LoadU(d, r.ahead[c] + x), hn::MulAdd(v, hn::LoadU(d, r.behind[c] + x), hn::LoadU(d, r.sum[c] + x))), d, r.sum[c] + x);
    }
    hn::StoreU(hn::Add(hn::LoadU(d, r.weight + x), hn::Add(w, v)), d, r.weight + x);
    hn::StoreU(hn::Max(hn::LoadU(d, r.most + x), hn::Max(w, v)), d, r.most + x);
  });
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(Differences);
HWY_EXPORT(PatchWeights);
HWY_EXPORT(AddWeighted);

void differences(const float* const* a, const float* const* b, int channels, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(Differences)(a, b, channels, out, n); }
void patch_weights(const float* const* rows, int window, float scale, float floor, float* columns, float* w, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(PatchWeights)(rows, window, scale, floor, columns, w, n);
}
void add_weighted(const WeightedRows& rows, int channels, std::size_t n) { HWY_DYNAMIC_DISPATCH(AddWeighted)(rows, channels, n); }

}  // namespace sieve::lanes
#endif
