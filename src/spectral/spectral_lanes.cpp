#include "spectral/spectral_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spectral/spectral_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void Fold(const float* in, float* out, std::size_t n) {
  const std::size_t pairs = n / 2;
  EachVector(pairs, [&](auto d, std::size_t i) HWY_ATTR {
    auto even = hn::Zero(d), odd = even;
    hn::LoadInterleaved2(d, in + 2 * i, even, odd);
    hn::StoreU(even, d, out + i);
    hn::StoreU(hn::Reverse(d, odd), d, out + n - i - hn::Lanes(d));
  });
  if (n % 2 == 1) out[pairs] = in[n - 1];
}

void Unfold(const float* in, float* out, std::size_t n) {
  const std::size_t pairs = n / 2;
  EachVector(pairs, [&](auto d, std::size_t i) HWY_ATTR {
    hn::StoreInterleaved2(hn::LoadU(d, in + i), hn::Reverse(d, hn::LoadU(d, in + n - i - hn::Lanes(d))), d,
                          out + 2 * i);
  });
  if (n % 2 == 1) out[n - 1] = in[pairs];
}

void Turn(const std::complex<float>* v, const float* cos, const float* sin, float scale, float* up, float* down,
          std::size_t n) {
  const auto* parts = reinterpret_cast<const float*>(v);
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    auto re = hn::Zero(d), im = re;
    hn::LoadInterleaved2(d, parts + 2 * i, re, im);
    const auto c = hn::Mul(hn::LoadU(d, cos + i), hn::Set(d, scale)),
               s = hn::Mul(hn::LoadU(d, sin + i), hn::Set(d, scale));
    hn::StoreU(hn::MulAdd(re, c, hn::Mul(im, s)), d, up + i);
    hn::StoreU(hn::Reverse(d, hn::NegMulAdd(im, c, hn::Mul(re, s))), d, down - i - (hn::Lanes(d) - 1));
  });
}

void TurnBack(const float* up, const float* down, const float* cos, const float* sin, float scale,
              std::complex<float>* v, std::size_t n) {
  auto* parts = reinterpret_cast<float*>(v);
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    const auto re = hn::LoadU(d, up + i), im = hn::Reverse(d, hn::LoadU(d, down - i - (hn::Lanes(d) - 1)));
    const auto c = hn::Mul(hn::LoadU(d, cos + i), hn::Set(d, scale)),
               s = hn::Mul(hn::LoadU(d, sin + i), hn::Set(d, scale));
    hn::StoreInterleaved2(hn::MulAdd(re, c, hn::Mul(im, s)), hn::NegMulAdd(im, c, hn::Mul(re, s)), d, parts + 2 * i);
  });
}

void ScaleComplex(std::complex<float>* line, const float* gain, std::size_t n) {
  auto* parts = reinterpret_cast<float*>(line);
  EachVector(n, [&](auto d, std::size_t i) HWY_ATTR {
    auto re = hn::Zero(d), im = re;
    hn::LoadInterleaved2(d, parts + 2 * i, re, im);
    const auto g = hn::LoadU(d, gain + i);
    hn::StoreInterleaved2(hn::Mul(re, g), hn::Mul(im, g), d, parts + 2 * i);
  });
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(Fold);
HWY_EXPORT(Unfold);
HWY_EXPORT(Turn);
HWY_EXPORT(TurnBack);
HWY_EXPORT(ScaleComplex);

void fold(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(Fold)(in, out, n); }
void unfold(const float* in, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(Unfold)(in, out, n); }
void turn(const std::complex<float>* v, const float* cos, const float* sin, float scale, float* up, float* down,
          std::size_t n) {
  HWY_DYNAMIC_DISPATCH(Turn)(v, cos, sin, scale, up, down, n);
}
void turn_back(const float* up, const float* down, const float* cos, const float* sin, float scale,
               std::complex<float>* v, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(TurnBack)(up, down, cos, sin, scale, v, n);
}
void scale_complex(std::complex<float>* line, const float* gain, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(ScaleComplex)(line, gain, n);
}

}  // namespace sieve::internal::lanes
#endif
