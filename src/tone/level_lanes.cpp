#include "tone/level_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "tone/level_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <type_traits>

#include "sieve/core/channels.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Stores past the cache where wanted, whole vectors only.
template <bool kStream, class D, class V>
HWY_INLINE void Put(D d, V v, float* out) {
  if constexpr (kStream && !std::is_same_v<D, hn::CappedTag<float, 1>>) {
    hn::Stream(v, d, out);
  } else {
    hn::StoreU(v, d, out);
  }
}

HWY_INLINE bool Aligned(const float* p) {
  return reinterpret_cast<std::uintptr_t>(p) % (hn::Lanes(hn::ScalableTag<float>()) * sizeof(float)) == 0;
}

template <class D, class V>
HWY_INLINE hn::Mask<D> Finite(D d, V v) {
  return hn::Eq(hn::Sub(v, v), hn::Zero(d));
}

std::int32_t ExactBin(float sample, const Bins& b) {
  const double v = sample;
  if (!(v - v == 0)) return b.count + 2;
  if (v < b.low) return b.count;
  if (v > b.high) return b.count + 1;
  const double place = (v - b.low) * b.scale + b.offset;
  return place < b.count - 1 ? static_cast<std::int32_t>(place) : b.count - 1;
}

void BinNumbers(const float* in, const Bins& b, std::int32_t* out, std::size_t n) {
  const float low = static_cast<float>(b.low), high = static_cast<float>(b.high), scale = static_cast<float>(b.scale),
              offset = static_cast<float>(b.offset);
  // Ranges too narrow or too wide for single precision.
  if (!std::isfinite(scale) || !std::isfinite(high - low)) {
    std::transform(in, in + n, out, [&b](float v) { return ExactBin(v, b); });
    return;
  }
  // Twice what the roundings of low, scale, difference and product can add up to.
  constexpr float kDoubt = 1.0F / (1 << 21);
  const float near_low = std::fabs(low) * scale * kDoubt;
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x);
    const auto place = hn::Add(hn::Mul(hn::Sub(v, hn::Set(d, low)), hn::Set(d, scale)), hn::Set(d, offset));
    // Places within the range are not negative: cutting off is floor.
    auto bin = hn::Min(hn::ConvertTo(di, place), hn::Set(di, b.count - 1));
    const auto outside = [&](auto mask, std::int32_t number)
                             HWY_ATTR { bin = hn::IfThenElse(hn::RebindMask(di, mask), hn::Set(di, number), bin); };
    outside(hn::Lt(v, hn::Set(d, low)), b.count);
    outside(hn::Gt(v, hn::Set(d, high)), b.count + 1);
    outside(hn::Not(Finite(d, v)), b.count + 2);
    hn::StoreU(bin, di, out + x);
    if (b.exact) {
      const auto apart = hn::Abs(hn::Sub(place, hn::Round(place)));
      const auto doubt = hn::Le(apart, hn::MulAdd(hn::Abs(place), hn::Set(d, kDoubt), hn::Set(d, near_low)));
      if (!hn::AllFalse(d, doubt)) {
        for (std::size_t i = 0; i < hn::Lanes(d); ++i) out[x + i] = ExactBin(in[x + i], b);
      }
    }
  });
}

void LookUpLevel(const float* in, float top, const float* table, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x), zero = hn::Zero(d), one = hn::Set(d, 1.0F);
    // NaN compares false: it reads level 0 and is put back below.
    const auto cut = hn::IfThenElse(hn::Gt(v, zero), hn::IfThenElse(hn::Gt(v, one), one, v), zero);
    const auto level = hn::ConvertTo(
        di, hn::Add(hn::Mul(cut, hn::Set(d, top)), hn::Set(d, 0.5F)));  // not fused: as the histogram has it
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), v, hn::GatherIndex(d, table, level)), d, out + x);
  });
}

void LookUpPieces(const float* in, const Pieces& c, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x), zero = hn::Zero(d), last = hn::Set(d, static_cast<float>(c.pieces));
    const auto p = hn::Mul(hn::Sub(v, hn::Set(d, c.low)), hn::Set(d, c.scale));
    const auto cut = hn::IfThenElse(hn::Gt(p, zero), hn::IfThenElse(hn::Gt(p, last), last, p), zero);
    const auto i = hn::Min(hn::ConvertTo(di, cut), hn::Set(di, c.pieces - 1));
    const auto at = hn::Add(i, i);
    const auto result = hn::MulAdd(hn::Sub(cut, hn::ConvertTo(d, i)), hn::GatherIndex(d, c.start_rise + 1, at),
                                   hn::GatherIndex(d, c.start_rise, at));
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), v, result), d, out + x);
  });
}

void Luma(const float* red, const float* green, const float* blue, const float* weights, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto sum = hn::Add(hn::Mul(hn::LoadU(d, red + x), hn::Set(d, weights[0])),
                             hn::Mul(hn::LoadU(d, green + x), hn::Set(d, weights[1])));
    hn::StoreU(hn::Add(sum, hn::Mul(hn::LoadU(d, blue + x), hn::Set(d, weights[2]))), d, out + x);
  });
}

template <bool kStream>
void RelightTo(const Colors& in, const float* luma, const float* to, const ColorsOut& out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d);
    const auto cut = [&](auto v) HWY_ATTR {
      return hn::IfThenElse(hn::Gt(v, one), one, hn::IfThenElse(hn::Lt(v, zero), zero, v));
    };
    const auto y = hn::LoadU(d, luma + x), t = hn::LoadU(d, to + x), from = cut(y), goal = cut(t);
    const auto darker = hn::And(hn::Le(goal, from), hn::Gt(from, zero)), lighter = hn::Gt(goal, from);
    const auto up = hn::Div(hn::Sub(one, goal), hn::IfThenElse(lighter, hn::Sub(one, from), one));
    const auto down = hn::Div(goal, hn::IfThenElse(darker, from, one));
    // What the luma lies beyond black or white is taken off before, and what it shall lie beyond is put on after.
    const auto scale = hn::IfThenElse(darker, down, hn::IfThenElse(lighter, up, one));
    const auto turned = hn::IfThenElse(lighter, hn::Sub(one, up), zero);
    const auto shift = hn::Add(hn::NegMulAdd(scale, hn::Sub(y, from), turned), hn::Sub(t, goal));
    Put<kStream>(d, hn::MulAdd(hn::LoadU(d, in.red + x), scale, shift), out.red + x);
    Put<kStream>(d, hn::MulAdd(hn::LoadU(d, in.green + x), scale, shift), out.green + x);
    Put<kStream>(d, hn::MulAdd(hn::LoadU(d, in.blue + x), scale, shift), out.blue + x);
  });
}

void Relight(const Colors& in, const float* luma, const float* to, const ColorsOut& out, std::size_t n, bool stream) {
  stream&& Aligned(out.red) && Aligned(out.green) && Aligned(out.blue) ? RelightTo<true>(in, luma, to, out, n)
                                                                       : RelightTo<false>(in, luma, to, out, n);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(BinNumbers);
HWY_EXPORT(LookUpLevel);
HWY_EXPORT(LookUpPieces);
HWY_EXPORT(Luma);
HWY_EXPORT(Relight);

void bin_numbers(const float* in, const Bins& bins, std::int32_t* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(BinNumbers)(in, bins, out, n);
}
void look_up_level(const float* in, float top, const float* table, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LookUpLevel)(in, top, table, out, n);
}
void look_up_pieces(const float* in, const Pieces& curve, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LookUpPieces)(in, curve, out, n);
}
void luma(const float* red, const float* green, const float* blue, float* out, std::size_t n) {
  const LumaWeights w = luma_weights(GrayBy::rec709);
  const float weights[] = {static_cast<float>(w.red), static_cast<float>(w.green), static_cast<float>(w.blue)};
  HWY_DYNAMIC_DISPATCH(Luma)(red, green, blue, weights, out, n);
}
void relight(const Colors& in, const float* luma, const float* to, const ColorsOut& out, std::size_t n, bool stream) {
  HWY_DYNAMIC_DISPATCH(Relight)(in, luma, to, out, n, stream);
}

}  // namespace sieve::internal::lanes
#endif
