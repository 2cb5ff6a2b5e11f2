#include "denoise/bilateral_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/bilateral_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"
#include "denoise/falling-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void BilateralRow(const float* center, const Taps& t, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, center + x), falloff = hn::Set(d, t.falloff);
    auto sum = hn::Zero(d), weight = hn::Zero(d);
    for (std::size_t i = 0; i < t.count; ++i) {
      const auto off = hn::Sub(hn::LoadU(d, t.rows[i] + x), v);
      const auto w = FallingFromZero(d, hn::MulSub(hn::Mul(off, off), falloff, hn::Set(d, t.logs[i])));
      sum = hn::MulAdd(w, off, sum);
      weight = hn::Add(weight, w);
    }
    // Differences are averaged, so that an even picture stays exactly as it is.
    hn::StoreU(hn::Add(v, hn::Div(sum, weight)), d, out + x);
  });
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(BilateralRow);

void bilateral_row(const float* center, const Taps& taps, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(BilateralRow)(center, taps, out, n);
}

}  // namespace sieve::internal::lanes
#endif
