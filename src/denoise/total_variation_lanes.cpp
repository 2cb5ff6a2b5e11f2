#include "denoise/total_variation_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/total_variation_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <cmath>

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void Extrapolate(const float* p, const float* before, float beta, float* out, std::size_t n) {
  WholeVectors(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto v = hn::LoadU(d, p + i);
    hn::StoreU(hn::MulAdd(hn::Sub(v, hn::LoadU(d, before + i)), hn::Set(d, beta), v), d, out + i);
  });
}

void DivergenceStep(const float* f, const float* x, const float* y, const float* above, float weight, float* u, std::size_t n) {
  WholeVectors(n, [&](auto d, std::size_t i) HWY_ATTR {
    auto sum = hn::Add(hn::Sub(hn::LoadU(d, x + i), hn::LoadU(d, x + i - 1)), hn::LoadU(d, y + i));
    if (above != nullptr) sum = hn::Sub(sum, hn::LoadU(d, above + i));
    hn::StoreU(hn::MulAdd(sum, hn::Set(d, weight), hn::LoadU(d, f + i)), d, u + i);
  });
}

// 1 / sqrt(v) of v from 1 up, within a few units of the last place.
template <class D, class V>
HWY_INLINE V InverseRoot(D d, V v) {
#if HWY_ARCH_X86 && HWY_TARGET != HWY_SCALAR
  // The processor's estimate has 12 bits or more; one of Newton's steps doubles them.
  const auto r = hn::ApproximateReciprocalSqrt(v);
  return hn::Mul(r, hn::NegMulAdd(hn::Mul(v, hn::Set(d, 0.5F)), hn::Mul(r, r), hn::Set(d, 1.5F)));
#else
  return hn::Div(hn::Set(d, 1.0F), hn::Sqrt(v));
#endif
}

template <int kChannels>
void ProjectRows(const DualRows& r, float step, std::size_t n) {
  WholeVectors(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto k = hn::Set(d, step), one = hn::Set(d, 1.0F);
    hn::Vec<decltype(d)> x[kChannels], y[kChannels];
    auto squares = hn::Zero(d);
    for (int c = 0; c < kChannels; ++c) {
      const auto u = hn::LoadU(d, r.u[c] + i);
      x[c] = hn::MulAdd(hn::Sub(hn::LoadU(d, r.u[c] + i + 1), u), k, hn::LoadU(d, r.x[c] + i));
      y[c] = hn::MulAdd(hn::Sub(hn::LoadU(d, r.below[c] + i), u), k, hn::LoadU(d, r.y[c] + i));
      squares = hn::MulAdd(x[c], x[c], hn::MulAdd(y[c], y[c], squares));
    }
    const auto scale = hn::IfThenElse(hn::Le(squares, one), one, InverseRoot(d, hn::Max(one, squares)));
    for (int c = 0; c < kChannels; ++c) {
      hn::StoreU(hn::Mul(x[c], scale), d, r.to_x[c] + i);
      hn::StoreU(hn::Mul(y[c], scale), d, r.to_y[c] + i);
    }
  });
}
void Project(const DualRows& r, int channels, float step, std::size_t n) { channels == 3 ? ProjectRows<3>(r, step, n) : ProjectRows<1>(r, step, n); }

// Over a row in single precision, lane by lane; the rows are added in double.
Sums Account(const DualRows& r, const float* const* f, int channels, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  auto length = hn::Zero(d), inner = hn::Zero(d), apart = hn::Zero(d);
  for (std::size_t i = 0; i < n; i += N) {
    const auto inside = hn::FirstN(d, n - i);
    auto squares = hn::Zero(d), product = hn::Zero(d), off = hn::Zero(d);
    for (int c = 0; c < channels; ++c) {
      const auto u = hn::LoadU(d, r.u[c] + i), gx = hn::Sub(hn::LoadU(d, r.u[c] + i + 1), u), gy = hn::Sub(hn::LoadU(d, r.below[c] + i), u);
      squares = hn::MulAdd(gx, gx, hn::MulAdd(gy, gy, squares));
      product = hn::MulAdd(gx, hn::LoadU(d, r.x[c] + i), hn::MulAdd(gy, hn::LoadU(d, r.y[c] + i), product));
      const auto e = hn::Sub(u, hn::LoadU(d, f[c] + i));
      off = hn::MulAdd(e, e, off);
    }
    length = hn::Add(length, hn::IfThenElseZero(inside, hn::Sqrt(squares)));
    inner = hn::Add(inner, hn::IfThenElseZero(inside, product));
    apart = hn::Add(apart, hn::IfThenElseZero(inside, off));
  }
  const auto total = [&](auto v) HWY_ATTR { return static_cast<double>(hn::GetLane(hn::SumOfLanes(d, v))); };
  return {total(length), total(inner), total(apart)};
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(Extrapolate);
HWY_EXPORT(DivergenceStep);
HWY_EXPORT(Project);
HWY_EXPORT(Account);

void extrapolate(const float* p, const float* before, float beta, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(Extrapolate)(p, before, beta, out, n); }
void divergence_step(const float* f, const float* x, const float* y, const float* above, float weight, float* u, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(DivergenceStep)(f, x, y, above, weight, u, n);
}
void project(const DualRows& rows, int channels, float step, std::size_t n) { HWY_DYNAMIC_DISPATCH(Project)(rows, channels, step, n); }
Sums account(const DualRows& rows, const float* const* f, int channels, std::size_t n) { return HWY_DYNAMIC_DISPATCH(Account)(rows, f, channels, n); }

}  // namespace sieve::lanes
#endif
