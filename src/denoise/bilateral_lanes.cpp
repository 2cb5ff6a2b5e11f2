#include "denoise/bilateral_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/bilateral_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "denoise/falling-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <class D>
HWY_INLINE void BilateralAt(D d, const float* center, const Taps& t, float* out, std::size_t x) {
  const auto v = hn::LoadU(d, center + x), falloff = hn::Set(d, t.falloff);
  auto sum = hn::Zero(d), weight = hn::Zero(d);
  for (std::size_t i = 0; i < t.count; ++i) {
    const auto u = hn::LoadU(d, t.rows[i] + x), off = hn::Sub(u, v);
    const auto w = Falling(d, hn::MulSub(hn::Mul(off, off), falloff, hn::Set(d, t.logs[i])));
    sum = hn::MulAdd(w, off, sum);
    weight = hn::Add(weight, w);
  }
  // Differences are averaged, so that an even picture stays exactly as it is.
  hn::StoreU(hn::Add(v, hn::Div(sum, weight)), d, out + x);
}

void BilateralRow(const float* center, const Taps& taps, float* out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) BilateralAt(d, center, taps, out, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) BilateralAt(one, center, taps, out, x);
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(BilateralRow);

void bilateral_row(const float* center, const Taps& taps, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(BilateralRow)(center, taps, out, n); }

}  // namespace sieve::lanes
#endif
