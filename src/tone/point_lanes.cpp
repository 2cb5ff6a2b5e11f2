#include "tone/point_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "tone/point_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cstdint>
#include <limits>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// f(tag, vector) over a row, the rest one lane at a time.
template <class F>
HWY_INLINE void Each(const float* in, float* out, std::size_t n, bool stream, F f) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  if (stream && reinterpret_cast<std::uintptr_t>(out) % (N * sizeof(float)) == 0) {
    for (; x + N <= n; x += N) hn::Stream(f(d, hn::LoadU(d, in + x)), d, out + x);
  } else {
    for (; x + N <= n; x += N) hn::StoreU(f(d, hn::LoadU(d, in + x)), d, out + x);
  }
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) hn::StoreU(f(one, hn::LoadU(one, in + x)), one, out + x);
}

void ClipRow(const float* in, float low, float high, float* out, std::size_t n) {
  Each(in, out, n, false, [&](auto d, auto v) HWY_ATTR {
    // Selections instead of Min and Max: those would turn NaN into a level.
    const auto lo = hn::Set(d, low), hi = hn::Set(d, high);
    return hn::IfThenElse(hn::Lt(v, lo), lo, hn::IfThenElse(hn::Gt(v, hi), hi, v));
  });
}

void LineRow(const float* in, float base, float slope, float to, float* out, std::size_t n) {
  Each(in, out, n, false, [&](auto d, auto v) HWY_ATTR {
    return hn::MulAdd(hn::Sub(v, hn::Set(d, base)), hn::Set(d, slope), hn::Set(d, to));
  });
}

void AbsoluteRow(const float* in, float* out, std::size_t n) {
  Each(in, out, n, false, [](auto, auto v) HWY_ATTR { return hn::Abs(v); });
}

void AboveRow(const float* in, float level, float* out, std::size_t n, bool stream) {
  Each(in, out, n, stream, [&](auto d, auto v) HWY_ATTR {
    return hn::IfThenElse(hn::IsNaN(v), v, hn::IfThenElseZero(hn::Gt(v, hn::Set(d, level)), hn::Set(d, 1.0F)));
  });
}

void AboveEachRow(const float* in, const float* levels, float offset, float* out, std::size_t n) {
  const float* at = levels;
  Each(in, out, n, false, [&](auto d, auto v) HWY_ATTR {
    const auto level = hn::Sub(hn::LoadU(d, at), hn::Set(d, offset));
    at += hn::Lanes(d);
    return hn::IfThenElse(hn::IsNaN(v), v, hn::IfThenElseZero(hn::Gt(v, level), hn::Set(d, 1.0F)));
  });
}

void FiniteRange(const float* in, std::size_t n, float& low, float& high) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  constexpr float inf = std::numeric_limits<float>::infinity();
  const auto least = hn::Set(d, inf), most = hn::Set(d, -inf);
  auto lo = least, hi = most;
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    const auto v = hn::LoadU(d, in + x);
    const auto finite = hn::Eq(hn::Sub(v, v), hn::Zero(d));
    lo = hn::Min(lo, hn::IfThenElse(finite, v, least));
    hi = hn::Max(hi, hn::IfThenElse(finite, v, most));
  }
  low = hn::GetLane(hn::MinOfLanes(d, lo));
  high = hn::GetLane(hn::MaxOfLanes(d, hi));
  for (; x < n; ++x) {
    if (in[x] - in[x] != 0) continue;
    if (in[x] < low) low = in[x];
    if (in[x] > high) high = in[x];
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(ClipRow);
HWY_EXPORT(LineRow);
HWY_EXPORT(AbsoluteRow);
HWY_EXPORT(FiniteRange);
HWY_EXPORT(AboveRow);
HWY_EXPORT(AboveEachRow);

void clip(const float* in, float low, float high, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(ClipRow)(in, low, high, out, n);
}
void line(const float* in, float base, float slope, float to, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LineRow)(in, base, slope, to, out, n);
}
void absolute(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(AbsoluteRow)(in, out, n); }
void above(const float* in, float level, float* out, std::size_t n, bool stream) {
  HWY_DYNAMIC_DISPATCH(AboveRow)(in, level, out, n, stream);
}
void above_each(const float* in, const float* levels, float offset, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(AboveEachRow)(in, levels, offset, out, n);
}
void finite_range(const float* in, std::size_t n, float& low, float& high) {
  HWY_DYNAMIC_DISPATCH(FiniteRange)(in, n, low, high);
}

}  // namespace sieve::internal::lanes
#endif
