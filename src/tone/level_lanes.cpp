#include "tone/level_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "tone/level_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "sieve/core/channels.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// body(tag, x) over whole vectors, then one lane at a time.
template <class F>
HWY_INLINE void Vectors(std::size_t n, F body) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) body(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) body(one, x);
}

template <class D, class V>
HWY_INLINE hn::Mask<D> Finite(D d, V v) {
  return hn::Eq(hn::Sub(v, v), hn::Zero(d));
}

// What lies outside the range, or is no number, has a bin of its own behind the others.
template <class D, class DI, class V, class I>
HWY_INLINE I WithOutside(D d, DI di, V v, I bin, const Bins& b) {
  const auto outside = [&](auto mask, std::int32_t number) HWY_ATTR {
    bin = hn::IfThenElse(hn::RebindMask(di, mask), hn::Set(di, number), bin);
  };
  bin = hn::Min(bin, hn::Set(di, b.count - 1));
  outside(hn::Lt(v, hn::Set(d, static_cast<float>(b.low))), b.count);
  outside(hn::Gt(v, hn::Set(d, static_cast<float>(b.high))), b.count + 1);
  outside(hn::Not(Finite(d, v)), b.count + 2);
  return bin;
}

void BinNumbers(const float* in, const Bins& b, std::int32_t* out, std::size_t n) {
  if (!b.exact) {
    Vectors(n, [&](auto d, std::size_t x) HWY_ATTR {
      const hn::RebindToSigned<decltype(d)> di;
      const auto v = hn::LoadU(d, in + x);
      const auto place = hn::Add(hn::Mul(hn::Sub(v, hn::Set(d, static_cast<float>(b.low))), hn::Set(d, static_cast<float>(b.scale))), hn::Set(d, static_cast<float>(b.offset)));
      // Places within the range are not negative: cutting off is floor.
      hn::StoreU(WithOutside(d, di, v, hn::ConvertTo(di, place), b), di, out + x);
    });
    return;
  }
#if HWY_HAVE_FLOAT64
  const hn::ScalableTag<double> dd;
  const hn::Rebind<float, decltype(dd)> d;
  const hn::Rebind<std::int32_t, decltype(dd)> di;
  const std::size_t N = hn::Lanes(dd);
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    const auto v = hn::LoadU(d, in + x);
    const auto place = hn::Add(hn::Mul(hn::Sub(hn::PromoteTo(dd, v), hn::Set(dd, b.low)), hn::Set(dd, b.scale)), hn::Set(dd, b.offset));
    hn::StoreU(WithOutside(d, di, v, hn::DemoteTo(di, place), b), di, out + x);
  }
#else
  std::size_t x = 0;
#endif
  for (; x < n; ++x) {
    const double v = in[x];
    if (!(v - v == 0)) {
      out[x] = b.count + 2;
    } else if (v < b.low) {
      out[x] = b.count;
    } else if (v > b.high) {
      out[x] = b.count + 1;
    } else {
      const double place = (v - b.low) * b.scale + b.offset;
      out[x] = place < b.count - 1 ? static_cast<std::int32_t>(place) : b.count - 1;
    }
  }
}

void LookUpLevel(const float* in, float top, const float* table, float* out, std::size_t n) {
  Vectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x), zero = hn::Zero(d), one = hn::Set(d, 1.0F);
    // NaN compares false: it reads level 0 and is put back below.
    const auto cut = hn::IfThenElse(hn::Gt(v, zero), hn::IfThenElse(hn::Gt(v, one), one, v), zero);
    const auto level = hn::ConvertTo(di, hn::Add(hn::Mul(cut, hn::Set(d, top)), hn::Set(d, 0.5F)));  // not fused: as the histogram has it
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), v, hn::GatherIndex(d, table, level)), d, out + x);
  });
}

void LookUpPieces(const float* in, const Pieces& c, float* out, std::size_t n) {
  Vectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x), zero = hn::Zero(d), last = hn::Set(d, static_cast<float>(c.pieces));
    const auto p = hn::Mul(hn::Sub(v, hn::Set(d, c.low)), hn::Set(d, c.scale));
    const auto cut = hn::IfThenElse(hn::Gt(p, zero), hn::IfThenElse(hn::Gt(p, last), last, p), zero);
    const auto i = hn::Min(hn::ConvertTo(di, cut), hn::Set(di, c.pieces - 1));
    auto result = hn::MulAdd(hn::Sub(cut, hn::ConvertTo(d, i)), hn::GatherIndex(d, c.rise, i), hn::GatherIndex(d, c.start, i));
    if (c.over != 0) result = hn::MulAdd(hn::Sub(p, cut), hn::Set(d, c.over / c.scale), result);
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), v, result), d, out + x);
  });
}

void Luma(const float* red, const float* green, const float* blue, const float* weights, float* out, std::size_t n) {
  Vectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto sum = hn::Add(hn::Mul(hn::LoadU(d, red + x), hn::Set(d, weights[0])), hn::Mul(hn::LoadU(d, green + x), hn::Set(d, weights[1])));
    hn::StoreU(hn::Add(sum, hn::Mul(hn::LoadU(d, blue + x), hn::Set(d, weights[2]))), d, out + x);
  });
}

void Relight(const Colors& in, const float* luma, const float* to, const ColorsOut& out, std::size_t n) {
  Vectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d);
    const auto y = hn::LoadU(d, luma + x), t = hn::LoadU(d, to + x);
    const auto darker = hn::And(hn::Le(t, y), hn::Gt(y, zero));
    const auto lighter = hn::And(hn::Gt(t, y), hn::Lt(y, one));
    // All ways are v * scale + shift. Beyond black and white the color is gray and only shifts.
    const auto within = hn::IfThenElse(hn::Gt(t, one), one, hn::IfThenElse(hn::Lt(t, zero), zero, t)), beyond = hn::Sub(t, within);
    const auto up = hn::Div(hn::Sub(one, within), hn::IfThenElse(lighter, hn::Sub(one, y), one));
    const auto down = hn::Div(within, hn::IfThenElse(darker, y, one));
    const auto scale = hn::IfThenElse(darker, down, hn::IfThenElse(lighter, up, one));
    const auto shift = hn::IfThenElse(darker, beyond, hn::IfThenElse(lighter, hn::Add(hn::Sub(one, up), beyond), hn::Sub(t, y)));
    hn::StoreU(hn::MulAdd(hn::LoadU(d, in.red + x), scale, shift), d, out.red + x);
    hn::StoreU(hn::MulAdd(hn::LoadU(d, in.green + x), scale, shift), d, out.green + x);
    hn::StoreU(hn::MulAdd(hn::LoadU(d, in.blue + x), scale, shift), d, out.blue + x);
  });
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(BinNumbers);
HWY_EXPORT(LookUpLevel);
HWY_EXPORT(LookUpPieces);
HWY_EXPORT(Luma);
HWY_EXPORT(Relight);

void bin_numbers(const float* in, const Bins& bins, std::int32_t* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(BinNumbers)(in, bins, out, n); }
void look_up_level(const float* in, float top, const float* table, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(LookUpLevel)(in, top, table, out, n); }
void look_up_pieces(const float* in, const Pieces& curve, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(LookUpPieces)(in, curve, out, n); }
void luma(const float* red, const float* green, const float* blue, float* out, std::size_t n) {
  const LumaWeights w = luma_weights(GrayBy::rec709);
  const float weights[] = {static_cast<float>(w.red), static_cast<float>(w.green), static_cast<float>(w.blue)};
  HWY_DYNAMIC_DISPATCH(Luma)(red, green, blue, weights, out, n);
}
void relight(const Colors& in, const float* luma, const float* to, const ColorsOut& out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(Relight)(in, luma, to, out, n);
}

}  // namespace sieve::lanes
#endif
