#include "tone/curve_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "tone/curve_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

// After the two above, which choose what it is compiled for.
#include <hwy/contrib/math/math-inl.h>

#include "core/lane_loops-inl.hpp"

#include <Eigen/LU>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// f(|v|) with the sign of v; what is not finite stays.
template <class F>
HWY_INLINE void Odd(const float* in, float* out, std::size_t n, F f) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, in + x);
    const auto finite = hn::Eq(hn::Sub(v, v), hn::Zero(d));
    hn::StoreU(hn::IfThenElse(finite, hn::CopySign(f(d, hn::Abs(v)), v), v), d, out + x);
  });
}

// c[0] + c[1] x + c[2] x^2 + ...
template <class D, class V, std::size_t n>
HWY_INLINE V Polynomial(D d, V x, const float (&c)[n]) {
  V sum = hn::Set(d, c[n - 1]);
  for (std::size_t i = n - 1; i-- > 0;) sum = hn::MulAdd(sum, x, hn::Set(d, c[i]));
  return sum;
}

// Both through the zeros of Chebyshev polynomials, worked out to 50 digits: log2(1 + f) / f from sqrt(1/2) - 1 to
// sqrt(2) - 1, to 5e-9 of it, and (2^x - 1) / x from -1/2 to 1/2, to 5e-9 of 2^x.
constexpr float kLog2[] = {1.44269504F,   -0.721347354F, 0.480898520F,  -0.360696542F, 0.288552561F,
                           -0.239608122F, 0.204857648F,  -0.191388377F, 0.184760334F,  -0.107497894F};
constexpr float kExp2[] = {0.693147188F, 0.240226508F, 0.0555035711F, 0.00961808256F, 0.00133908634F, 0.000154531629F};

// 2^n of whole n from -126 to 127.
template <class D, class VI>
HWY_INLINE auto PowerOfTwo(D d, VI n) {
  const hn::RebindToSigned<D> di;
  return hn::BitCast(d, hn::ShiftLeft<23>(hn::Add(n, hn::Set(di, 127))));
}

// v^exponent of v >= 0. The whole part of the result's logarithm is taken off before it is rounded, so that only the
// rest of it, below 1, carries a rounding.
template <class D, class V>
HWY_INLINE V Power(D d, V v, float exponent) {
  const hn::RebindToSigned<D> di;
  constexpr std::int32_t kRootHalf = 0x3f3504f3;  // the bits of sqrt(1/2)
  const auto tiny = hn::Lt(v, hn::Set(d, 1.2e-38F));
  const auto bits = hn::BitCast(di, v);
  const auto whole = hn::ShiftRight<23>(hn::Sub(bits, hn::Set(di, kRootHalf)));
  const auto f = hn::Sub(hn::BitCast(d, hn::Sub(bits, hn::ShiftLeft<23>(whole))), hn::Set(d, 1.0F));
  const auto e = hn::Set(d, exponent), k = hn::ConvertTo(d, whole);
  const auto part = hn::Mul(hn::Mul(Polynomial(d, f, kLog2), f), e);
  // Beyond these ends the result is 0 or infinite.
  const auto sum = hn::Max(hn::Set(d, -250.0F), hn::Min(hn::Set(d, 250.0F), hn::MulAdd(k, e, part)));
  const auto n = hn::Round(sum);
  const auto x = hn::Max(hn::Set(d, -1.0F), hn::Min(hn::Set(d, 1.0F), hn::Add(hn::MulSub(k, e, n), part)));
  const auto power = hn::MulAdd(Polynomial(d, x, kExp2), x, hn::Set(d, 1.0F));
  // In two halves, so that neither leaves the range of a float by itself.
  const auto ni = hn::ConvertTo(di, n), half = hn::ShiftRight<1>(ni);
  const auto result = hn::Mul(hn::Mul(power, PowerOfTwo(d, half)), PowerOfTwo(d, hn::Sub(ni, half)));
  return hn::IfThenZeroElse(tiny, result);
}

// tanh(x) = q / (q + 2) with q = e^(2x) - 1, in which nothing cancels near 0; for |x| up to 20.
template <class D, class V>
HWY_INLINE V HyperbolicTangent(D d, V x) {
  const hn::RebindToSigned<D> di;
  const auto y = hn::Mul(hn::Abs(x), hn::Set(d, 2.88539008F));  // 2 / ln 2
  const auto n = hn::Round(y);
  const auto f = hn::Sub(y, n), scale = PowerOfTwo(d, hn::ConvertTo(di, n));
  const auto q = hn::MulAdd(hn::Mul(scale, f), Polynomial(d, f, kExp2), hn::Sub(scale, hn::Set(d, 1.0F)));
  return hn::CopySign(hn::Div(q, hn::Add(q, hn::Set(d, 2.0F))), x);
}

template <class D, class V>
HWY_INLINE V ToLight(D d, V v) {
  const auto a = hn::Abs(v);
  const auto curved = Power(
      d, hn::MulAdd(a, hn::Set(d, static_cast<float>(1 / 1.055)), hn::Set(d, static_cast<float>(0.055 / 1.055))), 2.4F);
  return hn::CopySign(
      hn::IfThenElse(hn::Gt(a, hn::Set(d, 0.04045F)), curved, hn::Mul(a, hn::Set(d, static_cast<float>(1 / 12.92)))),
      v);
}

template <class D, class V>
HWY_INLINE V FromLight(D d, V v) {
  const auto a = hn::Abs(v);
  const auto curved = hn::MulSub(Power(d, a, static_cast<float>(1 / 2.4)), hn::Set(d, 1.055F), hn::Set(d, 0.055F));
  return hn::CopySign(hn::IfThenElse(hn::Gt(a, hn::Set(d, 0.0031308F)), curved, hn::Mul(a, hn::Set(d, 12.92F))), v);
}

// A first guess from the bits, then two steps of Halley's iteration.
template <class D, class V>
HWY_INLINE V CubeRoot(D d, V v) {
  const hn::RebindToSigned<D> di;
  const auto a = hn::Abs(v);
  const auto third = hn::ConvertTo(di, hn::Mul(hn::ConvertTo(d, hn::BitCast(di, a)), hn::Set(d, 1.0F / 3)));
  auto y = hn::BitCast(d, hn::Add(third, hn::Set(di, 709921077)));
  for (int i = 0; i < 2; ++i) {
    const auto cube = hn::Mul(hn::Mul(y, y), y);
    y = hn::Mul(y, hn::Div(hn::MulAdd(hn::Set(d, 2.0F), a, cube), hn::MulAdd(hn::Set(d, 2.0F), cube, a)));
  }
  return hn::CopySign(hn::IfThenZeroElse(hn::Lt(a, hn::Set(d, 1.2e-38F)), y), v);
}

template <class D, class V>
HWY_INLINE void Apply(D d, const float* m, V& a, V& b, V& c) {
  const auto row = [&](const float* r) HWY_ATTR {
    return hn::MulAdd(a, hn::Set(d, r[0]), hn::MulAdd(b, hn::Set(d, r[1]), hn::Mul(c, hn::Set(d, r[2]))));
  };
  const auto x = row(m), y = row(m + 3), z = row(m + 6);
  a = x;
  b = y;
  c = z;
}

template <class D, class V>
HWY_INLINE void ToLab(D d, const OklabMatrices& m, V& a, V& b, V& c) {
  a = ToLight(d, a);
  b = ToLight(d, b);
  c = ToLight(d, c);
  Apply(d, m.to_cones, a, b, c);
  a = CubeRoot(d, a);
  b = CubeRoot(d, b);
  c = CubeRoot(d, c);
  Apply(d, m.to_lab, a, b, c);
}

template <class D, class V>
HWY_INLINE void FromLab(D d, const OklabMatrices& m, V& a, V& b, V& c) {
  Apply(d, m.from_lab, a, b, c);
  a = hn::Mul(hn::Mul(a, a), a);
  b = hn::Mul(hn::Mul(b, b), b);
  c = hn::Mul(hn::Mul(c, c), c);
  Apply(d, m.from_cones, a, b, c);
  a = FromLight(d, a);
  b = FromLight(d, b);
  c = FromLight(d, c);
}

// change(tag, a, b, c) in place for every color; a color with a sample that is not finite stays.
template <class F>
HWY_INLINE void Colors3(const ThreeIn& in, const ThreeOut& out, std::size_t n, F change) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto a0 = hn::LoadU(d, in.a + x), b0 = hn::LoadU(d, in.b + x), c0 = hn::LoadU(d, in.c + x);
    const auto sum = hn::Add(hn::Add(hn::Sub(a0, a0), hn::Sub(b0, b0)), hn::Sub(c0, c0));
    const auto finite = hn::Eq(sum, hn::Zero(d));
    auto a = a0, b = b0, c = c0;
    change(d, a, b, c);
    hn::StoreU(hn::IfThenElse(finite, a, a0), d, out.a + x);
    hn::StoreU(hn::IfThenElse(finite, b, b0), d, out.b + x);
    hn::StoreU(hn::IfThenElse(finite, c, c0), d, out.c + x);
  });
}

void PowerRow(const float* in, float exponent, float* out, std::size_t n) {
  Odd(in, out, n, [&](auto d, auto v) HWY_ATTR { return Power(d, v, exponent); });
}
void LogarithmRow(const float* in, float strength, float* out, std::size_t n) {
  const float scale = static_cast<float>(1 / std::log1p(static_cast<double>(strength)));
  Odd(in, out, n, [&](auto d, auto v) HWY_ATTR {
    return hn::Mul(hn::Log1p(d, hn::Mul(v, hn::Set(d, strength))), hn::Set(d, scale));
  });
}
void SigmoidRow(const float* in, float steepness, float center, float* out, std::size_t n) {
  // With s(v) = (1 + tanh(k (v - m) / 2)) / 2 nothing cancels where the curve is nearly straight.
  const double k = 0.5 * static_cast<double>(steepness), m = center, t0 = std::tanh(-k * m),
               t1 = std::tanh(k * (1 - m));
  const auto base = static_cast<float>(t0), scale = static_cast<float>(1 / (t1 - t0)), half = static_cast<float>(k);
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, in + x), end = hn::Set(d, 20.0F);
    // The hyperbolic tangent has long been flat there.
    const auto e = hn::Max(hn::Neg(end), hn::Min(end, hn::Mul(hn::Sub(v, hn::Set(d, center)), hn::Set(d, half))));
    hn::StoreU(
        hn::IfThenElse(hn::IsNaN(v), v, hn::Mul(hn::Sub(HyperbolicTangent(d, e), hn::Set(d, base)), hn::Set(d, scale))),
        d, out + x);
  });
}
void NaturalLogRow(const float* in, float floor, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, in + x), low = hn::Set(d, floor);
    hn::StoreU(hn::Log(d, hn::IfThenElse(hn::Gt(v, low), v, low)), d, out + x);
  });
}
void ExponentialRow(const float* in, float* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR { hn::StoreU(hn::Exp(d, hn::LoadU(d, in + x)), d, out + x); });
}
void LinearizeRow(const float* in, float* out, std::size_t n) {
  Odd(in, out, n, [](auto d, auto v) HWY_ATTR { return ToLight(d, v); });
}
void EncodeRow(const float* in, float* out, std::size_t n) {
  Odd(in, out, n, [](auto d, auto v) HWY_ATTR { return FromLight(d, v); });
}
void ToOklabRow(const ThreeIn& in, const OklabMatrices& m, const ThreeOut& out, std::size_t n) {
  Colors3(in, out, n, [&](auto d, auto& a, auto& b, auto& c) HWY_ATTR { ToLab(d, m, a, b, c); });
}
void FromOklabRow(const ThreeIn& in, const OklabMatrices& m, const ThreeOut& out, std::size_t n) {
  Colors3(in, out, n, [&](auto d, auto& a, auto& b, auto& c) HWY_ATTR { FromLab(d, m, a, b, c); });
}
void GrayToOklabRow(const float* in, float* out, std::size_t n) {
  Odd(in, out, n, [](auto d, auto v) HWY_ATTR { return CubeRoot(d, ToLight(d, v)); });
}
void GrayFromOklabRow(const float* in, float* out, std::size_t n) {
  Odd(in, out, n, [](auto d, auto v) HWY_ATTR { return FromLight(d, hn::Mul(hn::Mul(v, v), v)); });
}
void ToHsvRow(const ThreeIn& in, const ThreeOut& out, std::size_t n) {
  Colors3(in, out, n, [](auto d, auto& r, auto& g, auto& b) HWY_ATTR {
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.0F), sixth = hn::Set(d, 1.0F / 6);
    const auto most = hn::Max(r, hn::Max(g, b)), spread = hn::Sub(most, hn::Min(r, hn::Min(g, b)));
    const auto gray = hn::Eq(spread, zero);
    const auto inverse = hn::Div(sixth, hn::IfThenElse(gray, one, spread));
    const auto red = hn::Mul(hn::Sub(g, b), inverse);
    const auto green = hn::MulAdd(hn::Sub(b, r), inverse, hn::Set(d, 1.0F / 3));
    const auto blue = hn::MulAdd(hn::Sub(r, g), inverse, hn::Set(d, 2.0F / 3));
    auto hue = hn::IfThenElse(hn::Eq(most, r), red, hn::IfThenElse(hn::Eq(most, g), green, blue));
    hue = hn::IfThenElse(hn::Lt(hue, zero), hn::Add(hue, one), hue);
    const auto black = hn::Le(most, zero);
    g = hn::IfThenZeroElse(black, hn::Div(spread, hn::IfThenElse(black, one, most)));
    r = hn::IfThenZeroElse(gray, hue);
    b = most;
  });
}
void FromHsvRow(const ThreeIn& in, const ThreeOut& out, std::size_t n) {
  Colors3(in, out, n, [](auto d, auto& h, auto& s, auto& v) HWY_ATTR {
    const auto zero = hn::Zero(d), one = hn::Set(d, 1.0F), six = hn::Set(d, 6.0F);
    const auto hue = hn::Mul(hn::Sub(h, hn::Floor(h)), six);
    const auto chroma = hn::Mul(v, s);
    // v - v s max(0, min(1, k, 4 - k)) with k = (n + h) mod 6: the same for the three channels with n = 5, 3, 1.
    const auto channel = [&](float turn) HWY_ATTR {
      auto k = hn::Add(hue, hn::Set(d, turn));
      k = hn::IfThenElse(hn::Ge(k, six), hn::Sub(k, six), k);
      const auto w = hn::Max(zero, hn::Min(one, hn::Min(k, hn::Sub(hn::Set(d, 4.0F), k))));
      return hn::NegMulAdd(chroma, w, v);
    };
    const auto red = channel(5), green = channel(3), blue = channel(1);
    h = red;
    s = green;
    v = blue;
  });
}
void ChangeChroma(const ThreeIn& in, const OklabMatrices& m, const ChromaMatrix& k, const ThreeOut& out,
                  std::size_t n) {
  Colors3(in, out, n, [&](auto d, auto& l, auto& a, auto& b) HWY_ATTR {
    ToLab(d, m, l, a, b);
    const auto turned = hn::MulAdd(a, hn::Set(d, k.xx), hn::Mul(b, hn::Set(d, k.xy)));
    b = hn::MulAdd(a, hn::Set(d, k.yx), hn::Mul(b, hn::Set(d, k.yy)));
    a = turned;
    FromLab(d, m, l, a, b);
  });
}
void KeepHueRow(const ThreeIn& in, const OklabMatrices& m, const HueWindow& w, const ThreeOut& out, std::size_t n) {
  Colors3(in, out, n, [&](auto d, auto& l, auto& a, auto& b) HWY_ATTR {
    ToLab(d, m, l, a, b);
    const auto one = hn::Set(d, 1.0F), zero = hn::Zero(d);
    const auto chroma = hn::Sqrt(hn::MulAdd(a, a, hn::Mul(b, b)));
    const auto along = hn::MulAdd(a, hn::Set(d, w.x), hn::Mul(b, hn::Set(d, w.y)));
    auto cosine = hn::Div(along, hn::Max(chroma, hn::Set(d, 1e-20F)));
    cosine = hn::Max(hn::Set(d, -1.0F), hn::Min(one, cosine));
    const auto past = hn::Sub(hn::Acos(d, cosine), hn::Set(d, w.keep));
    const auto t = hn::Max(zero, hn::Min(one, hn::Mul(past, hn::Set(d, 1 / w.fade))));
    // Half a period of a cosine from 1 down to 0.
    const auto share = hn::MulAdd(hn::Set(d, 0.5F), hn::Cos(d, hn::Mul(t, hn::Set(d, 3.14159265F))), hn::Set(d, 0.5F));
    a = hn::Mul(a, share);
    b = hn::Mul(b, share);
    FromLab(d, m, l, a, b);
  });
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(PowerRow);
HWY_EXPORT(LogarithmRow);
HWY_EXPORT(SigmoidRow);
HWY_EXPORT(NaturalLogRow);
HWY_EXPORT(ExponentialRow);
HWY_EXPORT(LinearizeRow);
HWY_EXPORT(EncodeRow);
HWY_EXPORT(ToOklabRow);
HWY_EXPORT(FromOklabRow);
HWY_EXPORT(GrayToOklabRow);
HWY_EXPORT(GrayFromOklabRow);
HWY_EXPORT(ToHsvRow);
HWY_EXPORT(FromHsvRow);
HWY_EXPORT(ChangeChroma);
HWY_EXPORT(KeepHueRow);

const OklabMatrices& oklab_matrices() {
  static const OklabMatrices all = [] {
    using Matrix = Eigen::Matrix<double, 3, 3, Eigen::RowMajor>;
    Matrix cones, lab;
    cones << 0.4122214708, 0.5363325363, 0.0514459929, 0.2119034982, 0.6806995451, 0.1073969566, 0.0883024619,
        0.2817188376, 0.6299787005;
    lab << 0.2104542553, 0.7936177850, -0.0040720468, 1.9779984951, -2.4285922050, 0.4505937099, 0.0259040371,
        0.7827717662, -0.8086757660;
    // Ten printed digits leave gray a trace of color: rows are made to add up to exactly 1, 0 and 0.
    for (int i = 0; i < 3; ++i) cones.row(i) /= cones.row(i).sum();
    for (int i = 0; i < 3; ++i) lab(i, 2) += (i == 0 ? 1 : 0) - lab.row(i).sum();
    OklabMatrices m{};
    const auto put = [](const Matrix& from, float* to) {
      for (int i = 0; i < 9; ++i) to[i] = static_cast<float>(from(i / 3, i % 3));
    };
    put(cones, m.to_cones);
    put(lab, m.to_lab);
    put(lab.inverse(), m.from_lab);
    put(cones.inverse(), m.from_cones);
    return m;
  }();
  return all;
}

void power(const float* in, float exponent, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(PowerRow)(in, exponent, out, n);
}
void logarithm(const float* in, float strength, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LogarithmRow)(in, strength, out, n);
}
void sigmoid(const float* in, float steepness, float center, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(SigmoidRow)(in, steepness, center, out, n);
}
void natural_log(const float* in, float floor, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(NaturalLogRow)(in, floor, out, n);
}
void exponential(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(ExponentialRow)(in, out, n); }
void linearize(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(LinearizeRow)(in, out, n); }
void encode(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(EncodeRow)(in, out, n); }
void to_oklab(const ThreeIn& rgb, const ThreeOut& lab, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(ToOklabRow)(rgb, oklab_matrices(), lab, n);
}
void from_oklab(const ThreeIn& lab, const ThreeOut& rgb, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(FromOklabRow)(lab, oklab_matrices(), rgb, n);
}
void gray_to_oklab(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(GrayToOklabRow)(in, out, n); }
void gray_from_oklab(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(GrayFromOklabRow)(in, out, n); }
void to_hsv(const ThreeIn& rgb, const ThreeOut& hsv, std::size_t n) { HWY_DYNAMIC_DISPATCH(ToHsvRow)(rgb, hsv, n); }
void from_hsv(const ThreeIn& hsv, const ThreeOut& rgb, std::size_t n) { HWY_DYNAMIC_DISPATCH(FromHsvRow)(hsv, rgb, n); }
void change_chroma(const ThreeIn& rgb, const ChromaMatrix& m, const ThreeOut& out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(ChangeChroma)(rgb, oklab_matrices(), m, out, n);
}
void keep_hue(const ThreeIn& rgb, const HueWindow& w, const ThreeOut& out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(KeepHueRow)(rgb, oklab_matrices(), w, out, n);
}

}  // namespace sieve::internal::lanes
#endif
