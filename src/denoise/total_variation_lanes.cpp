#include "denoise/total_variation_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/total_variation_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <cmath>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

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
void DualStepOf(const DualRows& all, float step, std::size_t n) {
  const DualRows r = all;  // by value: what is stored cannot change the pointers
  WholeVectors(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto k = hn::Set(d, step), one = hn::Set(d, 1.0F);
    hn::Vec<decltype(d)> x[kChannels], y[kChannels];
    auto squares = hn::Zero(d);
    for (int c = 0; c < kChannels; ++c) {
      const auto v = hn::LoadU(d, r.ahead[c] + i);
      x[c] = hn::MulAdd(hn::Sub(hn::LoadU(d, r.ahead[c] + i + 1), v), k, hn::LoadU(d, r.x[c] + i));
      y[c] = hn::MulAdd(hn::Sub(hn::LoadU(d, r.below[c] + i), v), k, hn::LoadU(d, r.y[c] + i));
      squares = hn::MulAdd(x[c], x[c], hn::MulAdd(y[c], y[c], squares));
    }
    const auto scale = hn::IfThenElse(hn::Le(squares, one), one, InverseRoot(d, hn::Max(one, squares)));
    for (int c = 0; c < kChannels; ++c) {
      hn::StoreU(hn::Mul(x[c], scale), d, r.x[c] + i);
      hn::StoreU(hn::Mul(y[c], scale), d, r.y[c] + i);
    }
  });
}
void DualStep(const DualRows& r, int channels, float step, std::size_t n) {
  channels == 3 ? DualStepOf<3>(r, step, n) : DualStepOf<1>(r, step, n);
}

template <class D>
HWY_INLINE hn::Vec<D> Divergence(D d, const float* x, const float* y, const float* above, std::size_t i) {
  const auto sum = hn::Add(hn::Sub(hn::LoadU(d, x + i), hn::LoadU(d, x + i - 1)), hn::LoadU(d, y + i));
  return above == nullptr ? sum : hn::Sub(sum, hn::LoadU(d, above + i));
}

void PrimalStep(const PrimalRows& all, float weight, float share, float momentum, std::size_t n) {
  const PrimalRows r = all;
  WholeVectors(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto u = hn::LoadU(d, r.u + i),
               goal = hn::MulAdd(Divergence(d, r.x, r.y, r.above, i), hn::Set(d, weight), hn::LoadU(d, r.f + i));
    const auto way = hn::Mul(hn::Sub(goal, u), hn::Set(d, share)), next = hn::Add(u, way);
    hn::StoreU(next, d, r.u + i);
    hn::StoreU(hn::MulAdd(way, hn::Set(d, momentum), next), d, r.ahead + i);
  });
}

// Over a row in single precision, lane by lane; the rows are added in double.
Sums Account(const ResultRows& r, int channels, float weight, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  auto length = hn::Zero(d), slack = hn::Zero(d), squares = hn::Zero(d), apart = hn::Zero(d);
  for (std::size_t i = 0; i < n; i += N) {
    const auto inside = hn::FirstN(d, n - i);
    auto steep = hn::Zero(d), product = hn::Zero(d), off = hn::Zero(d), away = hn::Zero(d);
    for (int c = 0; c < channels; ++c) {
      const auto u = hn::LoadU(d, r.u[c] + i), gx = hn::Sub(hn::LoadU(d, r.u[c] + i + 1), u),
                 gy = hn::Sub(hn::LoadU(d, r.below[c] + i), u);
      steep = hn::MulAdd(gx, gx, hn::MulAdd(gy, gy, steep));
      product = hn::MulAdd(gx, hn::LoadU(d, r.x[c] + i), hn::MulAdd(gy, hn::LoadU(d, r.y[c] + i), product));
      const auto e = hn::Sub(u, hn::LoadU(d, r.f[c] + i)),
                 a = hn::NegMulAdd(Divergence(d, r.x[c], r.y[c], r.above[c], i), hn::Set(d, weight), e);
      off = hn::MulAdd(e, e, off);
      away = hn::MulAdd(a, a, away);
    }
    const auto root = hn::Sqrt(steep);
    length = hn::Add(length, hn::IfThenElseZero(inside, root));
    slack = hn::Add(slack, hn::IfThenElseZero(inside, hn::Sub(root, product)));
    squares = hn::Add(squares, hn::IfThenElseZero(inside, off));
    apart = hn::Add(apart, hn::IfThenElseZero(inside, away));
  }
  const auto total = [&](auto v) HWY_ATTR { return static_cast<double>(hn::GetLane(hn::SumOfLanes(d, v))); };
  return {total(length), total(slack), total(squares), total(apart)};
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(DualStep);
HWY_EXPORT(PrimalStep);
HWY_EXPORT(Account);

void dual_step(const DualRows& rows, int channels, float step, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(DualStep)(rows, channels, step, n);
}
void primal_step(const PrimalRows& rows, float weight, float share, float momentum, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(PrimalStep)(rows, weight, share, momentum, n);
}
Sums account(const ResultRows& rows, int channels, float weight, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(Account)(rows, channels, weight, n);
}

}  // namespace sieve::internal::lanes
#endif
