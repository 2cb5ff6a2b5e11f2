#include "tone/clahe_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "tone/clahe_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <class F>
HWY_INLINE void EachVector(std::size_t n, F body) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) body(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) body(one, x);
}

void MixMaps(const float* a, const float* b, float share, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto v = hn::LoadU(d, a + i);
    hn::StoreU(hn::MulAdd(hn::Sub(hn::LoadU(d, b + i), v), hn::Set(d, share), v), d, out + i);
  });
}

void ApplyMaps(const TwoMaps& m, const float* in, const float* shares, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x), zero = hn::Zero(d), one = hn::Set(d, 1.0F);
    const auto cut = hn::IfThenElse(hn::Gt(v, zero), hn::IfThenElse(hn::Gt(v, one), one, v), zero);
    const auto place = hn::Mul(cut, hn::Set(d, m.bins));
    const auto bin = hn::Min(hn::ConvertTo(di, place), hn::Set(di, static_cast<std::int32_t>(m.bins) - 1)), next = hn::Add(bin, hn::Set(di, 1));
    const auto part = hn::Sub(place, hn::ConvertTo(d, bin));
    const auto at = [&](const float* map) HWY_ATTR {
      const auto low = hn::GatherIndex(d, map, bin), high = hn::GatherIndex(d, map, next);
      return hn::MulAdd(hn::Sub(high, low), part, low);
    };
    auto mapped = at(m.left);
    if (m.right != m.left) mapped = hn::MulAdd(hn::Sub(at(m.right), mapped), hn::LoadU(d, shares + x), mapped);
    // What lies outside 0..1 keeps its distance; NaN is carried along.
    mapped = hn::Add(mapped, hn::Sub(v, cut));
    const auto result = hn::MulAdd(hn::Sub(mapped, v), hn::Set(d, m.strength), v);
    // An infinity less itself is no number: it stays as it is.
    hn::StoreU(hn::IfThenElse(hn::Eq(hn::Sub(v, v), zero), result, v), d, out + x);
  });
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(MixMaps);
HWY_EXPORT(ApplyMaps);

void mix_maps(const float* a, const float* b, float share, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(MixMaps)(a, b, share, out, n); }
void apply_maps(const TwoMaps& maps, const float* in, const float* shares, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(ApplyMaps)(maps, in, shares, out, n); }

}  // namespace sieve::lanes
#endif
