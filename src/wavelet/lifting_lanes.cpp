#include "wavelet/lifting_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "wavelet/lifting_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void SplitPairs(const float* row, float* even, float* odd, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    auto a = hn::Zero(d), b = a;
    hn::LoadInterleaved2(d, row + 2 * i, a, b);
    hn::StoreU(a, d, even + i);
    hn::StoreU(b, d, odd + i);
  });
}

void JoinPairs(const float* even, const float* odd, float* row, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i)
                    HWY_ATTR { hn::StoreInterleaved2(hn::LoadU(d, even + i), hn::LoadU(d, odd + i), d, row + 2 * i); });
}

void LiftStep(float* to, const float* a, const float* b, float factor, float scale, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto sum = hn::Add(hn::LoadU(d, a + i), hn::LoadU(d, b + i));
    hn::StoreU(hn::Mul(hn::MulAdd(sum, hn::Set(d, factor), hn::LoadU(d, to + i)), hn::Set(d, scale)), d, to + i);
  });
}

void LiftDown(const float* odd, const float* even, const LiftRows& s, const LiftFactors& f, float* low, float* high,
              std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto e = hn::LoadU(d, even + i), d1_before = hn::LoadU(d, s.d1 + i), s1_before = hn::LoadU(d, s.s1 + i),
               d2_before = hn::LoadU(d, s.d2 + i);
    const auto e_before = hn::LoadU(d, s.even + i);
    const auto d1 = hn::MulAdd(hn::Add(e_before, e), hn::Set(d, f.a), hn::LoadU(d, odd + i));
    const auto s1 = hn::MulAdd(hn::Add(d1_before, d1), hn::Set(d, f.b), e_before);
    const auto d2 = hn::MulAdd(hn::Add(s1_before, s1), hn::Set(d, f.c), d1_before);
    const auto s2 = hn::MulAdd(hn::Add(d2_before, d2), hn::Set(d, f.d), s1_before);
    hn::StoreU(e, d, s.even + i);
    hn::StoreU(d1, d, s.d1 + i);
    hn::StoreU(s1, d, s.s1 + i);
    hn::StoreU(d2, d, s.d2 + i);
    if (low != nullptr) hn::StoreU(hn::Mul(s2, hn::Set(d, f.low)), d, low + i);
    if (high != nullptr) hn::StoreU(hn::Mul(d2, hn::Set(d, f.high)), d, high + i);
  });
}

void LiftUp(const float* low, const float* high, const LiftRows& s, const LiftFactors& f, float* even, float* odd,
            std::size_t n) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto d2 = hn::Mul(hn::LoadU(d, high + i), hn::Set(d, f.high));
    const auto d2_before = hn::LoadU(d, s.d2 + i), s1_before = hn::LoadU(d, s.s1 + i),
               d1_before = hn::LoadU(d, s.d1 + i), e_before = hn::LoadU(d, s.even + i);
    const auto s1 =
        hn::NegMulAdd(hn::Add(d2_before, d2), hn::Set(d, f.d), hn::Mul(hn::LoadU(d, low + i), hn::Set(d, f.low)));
    const auto d1 = hn::NegMulAdd(hn::Add(s1_before, s1), hn::Set(d, f.c), d2_before);
    const auto e = hn::NegMulAdd(hn::Add(d1_before, d1), hn::Set(d, f.b), s1_before);
    const auto o = hn::NegMulAdd(hn::Add(e_before, e), hn::Set(d, f.a), d1_before);
    hn::StoreU(d2, d, s.d2 + i);
    hn::StoreU(s1, d, s.s1 + i);
    hn::StoreU(d1, d, s.d1 + i);
    hn::StoreU(e, d, s.even + i);
    hn::StoreU(e, d, even + i);
    hn::StoreU(o, d, odd + i);
  });
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(SplitPairs);
HWY_EXPORT(JoinPairs);
HWY_EXPORT(LiftStep);
HWY_EXPORT(LiftDown);
HWY_EXPORT(LiftUp);

void split_pairs(const float* row, float* even, float* odd, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(SplitPairs)(row, even, odd, n);
}
void join_pairs(const float* even, const float* odd, float* row, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(JoinPairs)(even, odd, row, n);
}
void lift_step(float* to, const float* a, const float* b, float factor, float scale, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LiftStep)(to, a, b, factor, scale, n);
}
void lift_down(const float* odd, const float* even, const LiftRows& state, const LiftFactors& f, float* low,
               float* high, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LiftDown)(odd, even, state, f, low, high, n);
}
void lift_up(const float* low, const float* high, const LiftRows& state, const LiftFactors& f, float* even, float* odd,
             std::size_t n) {
  HWY_DYNAMIC_DISPATCH(LiftUp)(low, high, state, f, even, odd, n);
}

}  // namespace sieve::internal::lanes
#endif
