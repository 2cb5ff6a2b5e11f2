#include "tone/clahe_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "tone/clahe_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <cstddef>
#include <cstdint>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void MixMaps(const float* a, const float* b, float share, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto v = hn::LoadU(d, a + i);
    hn::StoreU(hn::MulAdd(hn::Sub(hn::LoadU(d, b + i), v), hn::Set(d, share), v), d, out + i);
  });
}

void LayOut(const float* left, const float* right, float* pieces, std::size_t bins) {
  EachVector(bins, [&](auto d, std::size_t i) HWY_ATTR {
    const auto a = hn::LoadU(d, left + i), b = hn::LoadU(d, right + i);
    const auto rise = hn::Sub(hn::LoadU(d, left + i + 1), a), other = hn::Sub(hn::LoadU(d, right + i + 1), b);
    hn::StoreInterleaved4(a, rise, hn::Sub(b, a), hn::Sub(other, rise), d, pieces + 4 * i);
  });
}

template <class D, class V>
HWY_INLINE V CutToUnit(D d, V v) {
  const auto zero = hn::Zero(d), one = hn::Set(d, 1.0F);
  return hn::IfThenElse(hn::Gt(v, zero), hn::IfThenElse(hn::Gt(v, one), one, v), zero);
}

// mapped[x] = the two maps' mean at part[x] of the bin that begins at pieces[at[x]].
void MeanOfMaps(const float* pieces, const std::int32_t* at, const float* part, const float* shares, float* mapped,
                std::size_t n) {
  std::size_t x = 0;
#if HWY_TARGET != HWY_SCALAR
  // The four numbers of a bin come in one load, and those of four samples are turned over.
  const hn::FixedTag<float, 4> d;
  for (; x + 4 <= n; x += 4) {
    const auto a = hn::LoadU(d, pieces + at[x]), b = hn::LoadU(d, pieces + at[x + 1]),
               c = hn::LoadU(d, pieces + at[x + 2]), e = hn::LoadU(d, pieces + at[x + 3]);
    const auto ab = hn::InterleaveLower(d, a, b), ce = hn::InterleaveLower(d, c, e);
    const auto ab2 = hn::InterleaveUpper(d, a, b), ce2 = hn::InterleaveUpper(d, c, e);
    const auto start = hn::ConcatLowerLower(d, ce, ab), rise = hn::ConcatUpperUpper(d, ce, ab);
    const auto more = hn::ConcatLowerLower(d, ce2, ab2), steeper = hn::ConcatUpperUpper(d, ce2, ab2);
    const auto share = hn::LoadU(d, shares + x);
    hn::StoreU(hn::MulAdd(hn::LoadU(d, part + x), hn::MulAdd(share, steeper, rise), hn::MulAdd(share, more, start)), d,
               mapped + x);
  }
#endif
  for (; x < n; ++x) {
    const float* p = pieces + at[x];
    mapped[x] = part[x] * (p[1] + shares[x] * p[3]) + (p[0] + shares[x] * p[2]);
  }
}

// In three steps over samples that stay in the nearest cache: bins, means, and what is done with them.
void ApplyMaps(const TwoMaps& m, const float* in, const float* shares, float* out, std::size_t n) {
  constexpr std::size_t kChunk = 512;
  HWY_ALIGN std::int32_t at[kChunk];
  HWY_ALIGN float part[kChunk], mapped[kChunk];
  const float bins = m.bins, strength = m.strength;
  for (std::size_t from = 0; from < n; from += kChunk) {
    const std::size_t count = n - from < kChunk ? n - from : kChunk;
    const float* const v0 = in + from;
    EachVector(count, [&](auto d, std::size_t x) HWY_ATTR {
      const hn::RebindToSigned<decltype(d)> di;
      const auto place = hn::Mul(CutToUnit(d, hn::LoadU(d, v0 + x)), hn::Set(d, bins));
      const auto bin = hn::Min(hn::ConvertTo(di, place), hn::Set(di, static_cast<std::int32_t>(bins) - 1));
      hn::StoreU(hn::ShiftLeft<2>(bin), di, at + x);
      hn::StoreU(hn::Sub(place, hn::ConvertTo(d, bin)), d, part + x);
    });
    MeanOfMaps(m.pieces, at, part, shares + from, mapped, count);
    EachVector(count, [&](auto d, std::size_t x) HWY_ATTR {
      // What lies outside 0..1 keeps its distance; an infinity less itself is no number: it stays as it is, as does
      // NaN.
      const auto v = hn::LoadU(d, v0 + x), value = hn::Add(hn::LoadU(d, mapped + x), hn::Sub(v, CutToUnit(d, v)));
      const auto result = hn::MulAdd(hn::Sub(value, v), hn::Set(d, strength), v);
      hn::StoreU(hn::IfThenElse(hn::Eq(hn::Sub(v, v), hn::Zero(d)), result, v), d, out + from + x);
    });
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(MixMaps);
HWY_EXPORT(LayOut);
HWY_EXPORT(ApplyMaps);

void mix_maps(const float* a, const float* b, float share, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(MixMaps)(a, b, share, out, n);
}
void lay_out(const float* left, const float* right, float* pieces, std::size_t bins) {
  HWY_DYNAMIC_DISPATCH(LayOut)(left, right, pieces, bins);
}
void apply_maps(const TwoMaps& maps, const float* in, const float* shares, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(ApplyMaps)(maps, in, shares, out, n);
}

}  // namespace sieve::internal::lanes
#endif
