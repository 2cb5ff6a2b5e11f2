#include "spectral/block_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spectral/block_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <algorithm>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// cos(k pi / 16) / 2 for k = 1..7; the fourth is sqrt(1 / 8).
constexpr float kC1 = 0.4903926402F, kC2 = 0.4619397663F, kC3 = 0.4157348062F, kC4 = 0.3535533906F, kC5 = 0.2777851165F,
                kC6 = 0.1913417162F, kC7 = 0.0975451610F;

// Eight vectors: the samples or coefficients of as many blocks as there are lanes.
template <class D, class V>
HWY_INLINE void Forward8(D d, V* x) {
  const auto k = [d](float v) HWY_ATTR { return hn::Set(d, v); };
  const V s0 = hn::Add(x[0], x[7]), s1 = hn::Add(x[1], x[6]), s2 = hn::Add(x[2], x[5]), s3 = hn::Add(x[3], x[4]);
  const V d0 = hn::Sub(x[0], x[7]), d1 = hn::Sub(x[1], x[6]), d2 = hn::Sub(x[2], x[5]), d3 = hn::Sub(x[3], x[4]);
  const V a0 = hn::Add(s0, s3), a1 = hn::Add(s1, s2), b0 = hn::Sub(s0, s3), b1 = hn::Sub(s1, s2);
  x[0] = hn::Mul(hn::Add(a0, a1), k(kC4));
  x[4] = hn::Mul(hn::Sub(a0, a1), k(kC4));
  x[2] = hn::MulAdd(b0, k(kC2), hn::Mul(b1, k(kC6)));
  x[6] = hn::MulSub(b0, k(kC6), hn::Mul(b1, k(kC2)));
  x[1] = hn::MulAdd(d0, k(kC1), hn::MulAdd(d1, k(kC3), hn::MulAdd(d2, k(kC5), hn::Mul(d3, k(kC7)))));
  x[3] = hn::MulSub(d0, k(kC3), hn::MulAdd(d1, k(kC7), hn::MulAdd(d2, k(kC1), hn::Mul(d3, k(kC5)))));
  x[5] = hn::MulAdd(d0, k(kC5), hn::NegMulAdd(d1, k(kC1), hn::MulAdd(d2, k(kC7), hn::Mul(d3, k(kC3)))));
  x[7] = hn::MulAdd(d0, k(kC7), hn::NegMulAdd(d1, k(kC5), hn::MulSub(d2, k(kC3), hn::Mul(d3, k(kC1)))));
}

template <class D, class V>
HWY_INLINE void Inverse8(D d, V* x) {
  const auto k = [d](float v) HWY_ATTR { return hn::Set(d, v); };
  const V a0 = hn::Mul(hn::Add(x[0], x[4]), k(kC4)), a1 = hn::Mul(hn::Sub(x[0], x[4]), k(kC4));
  const V b0 = hn::MulAdd(x[2], k(kC2), hn::Mul(x[6], k(kC6))), b1 = hn::MulSub(x[2], k(kC6), hn::Mul(x[6], k(kC2)));
  const V e0 = hn::Add(a0, b0), e3 = hn::Sub(a0, b0), e1 = hn::Add(a1, b1), e2 = hn::Sub(a1, b1);
  const V o0 = hn::MulAdd(x[1], k(kC1), hn::MulAdd(x[3], k(kC3), hn::MulAdd(x[5], k(kC5), hn::Mul(x[7], k(kC7)))));
  const V o1 = hn::MulSub(x[1], k(kC3), hn::MulAdd(x[3], k(kC7), hn::MulAdd(x[5], k(kC1), hn::Mul(x[7], k(kC5)))));
  const V o2 = hn::MulAdd(x[1], k(kC5), hn::NegMulAdd(x[3], k(kC1), hn::MulAdd(x[5], k(kC7), hn::Mul(x[7], k(kC3)))));
  const V o3 = hn::MulAdd(x[1], k(kC7), hn::NegMulAdd(x[3], k(kC5), hn::MulSub(x[5], k(kC3), hn::Mul(x[7], k(kC1)))));
  x[0] = hn::Add(e0, o0), x[7] = hn::Sub(e0, o0);
  x[1] = hn::Add(e1, o1), x[6] = hn::Sub(e1, o1);
  x[2] = hn::Add(e2, o2), x[5] = hn::Sub(e2, o2);
  x[3] = hn::Add(e3, o3), x[4] = hn::Sub(e3, o3);
}

void Cosine8Down(const float* const* in, float* const* out, std::size_t n, bool forward) {
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    hn::Vec<decltype(d)> x[8];
    for (int k = 0; k < 8; ++k) x[k] = hn::LoadU(d, in[k] + i);
    forward ? Forward8(d, x) : Inverse8(d, x);
    for (int k = 0; k < 8; ++k) hn::StoreU(x[k], d, out[k] + i);
  });
}

// As many blocks as there are lanes: sample i of all of them to vector i, by pairing every fourth and then every
// second.
void LanesOfBlocks(const float* in, float* out, bool forward) {
  const hn::ScalableTag<float> d;
  using V = hn::Vec<decltype(d)>;
  const std::size_t N = hn::Lanes(d);
  HWY_ALIGN float pairs[4][2 * HWY_MAX_BYTES / sizeof(float)];
  for (std::size_t half = 0; half < 2; ++half) {
    V a = hn::Zero(d), b = a, c = a, e = a;
    hn::LoadInterleaved4(d, in + 4 * N * half, a, b, c, e);
    hn::StoreU(a, d, pairs[0] + N * half);
    hn::StoreU(b, d, pairs[1] + N * half);
    hn::StoreU(c, d, pairs[2] + N * half);
    hn::StoreU(e, d, pairs[3] + N * half);
  }
  V x[8];
  for (int i = 0; i < 4; ++i) hn::LoadInterleaved2(d, pairs[i], x[i], x[i + 4]);
  forward ? Forward8(d, x) : Inverse8(d, x);
  for (int i = 0; i < 4; ++i) hn::StoreInterleaved2(x[i], x[i + 4], d, pairs[i]);
  for (std::size_t half = 0; half < 2; ++half) {
    hn::StoreInterleaved4(hn::LoadU(d, pairs[0] + N * half), hn::LoadU(d, pairs[1] + N * half),
                          hn::LoadU(d, pairs[2] + N * half), hn::LoadU(d, pairs[3] + N * half), d, out + 4 * N * half);
  }
}

void Cosine8Along(const float* in, float* out, std::size_t blocks, bool forward) {
  const std::size_t N = hn::Lanes(hn::ScalableTag<float>());
  std::size_t b = 0;
  for (; b + N <= blocks; b += N) LanesOfBlocks(in + 8 * b, out + 8 * b, forward);
  if (b == blocks) return;
  float rest[8 * HWY_MAX_BYTES / sizeof(float)] = {};
  std::copy(in + 8 * b, in + 8 * blocks, rest);
  LanesOfBlocks(rest, rest, forward);
  std::copy(rest, rest + 8 * (blocks - b), out + 8 * b);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(Cosine8Down);
HWY_EXPORT(Cosine8Along);

void cosine8_down(const float* const* in, float* const* out, std::size_t n, bool forward) {
  HWY_DYNAMIC_DISPATCH(Cosine8Down)(in, out, n, forward);
}
void cosine8_along(const float* in, float* out, std::size_t blocks, bool forward) {
  HWY_DYNAMIC_DISPATCH(Cosine8Along)(in, out, blocks, forward);
}

}  // namespace sieve::internal::lanes
#endif
