#include "core/interleave_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/interleave_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <type_traits>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Pixels in one go: the samples of a channel lie apart in the nearest cache between the two steps.
constexpr std::size_t kPiece = 1024;

// Interleaved samples apart: out[c] + i is sample c of pixel i.
template <class T>
void Apart(const T* in, T* const* out, int channels, std::size_t n) {
  const hn::ScalableTag<T> d;
  const std::size_t N = hn::Lanes(d);
  const auto k = static_cast<std::size_t>(channels);
  std::size_t i = 0;
  if (channels == 2) {
    hn::Vec<decltype(d)> a, b;
    for (; i + N <= n; i += N) {
      hn::LoadInterleaved2(d, in + 2 * i, a, b);
      hn::StoreU(a, d, out[0] + i);
      hn::StoreU(b, d, out[1] + i);
    }
  } else if (channels == 3) {
    hn::Vec<decltype(d)> a, b, c;
    for (; i + N <= n; i += N) {
      hn::LoadInterleaved3(d, in + 3 * i, a, b, c);
      hn::StoreU(a, d, out[0] + i);
      hn::StoreU(b, d, out[1] + i);
      hn::StoreU(c, d, out[2] + i);
    }
  } else if (channels == 4) {
    hn::Vec<decltype(d)> a, b, c, e;
    for (; i + N <= n; i += N) {
      hn::LoadInterleaved4(d, in + 4 * i, a, b, c, e);
      hn::StoreU(a, d, out[0] + i);
      hn::StoreU(b, d, out[1] + i);
      hn::StoreU(c, d, out[2] + i);
      hn::StoreU(e, d, out[3] + i);
    }
  }
  for (; i < n; ++i) {
    for (std::size_t c = 0; c < k; ++c) out[c][i] = in[k * i + c];
  }
}

// Back.
template <class T>
void Together(const T* const* in, T* out, int channels, std::size_t n) {
  const hn::ScalableTag<T> d;
  const std::size_t N = hn::Lanes(d);
  const auto k = static_cast<std::size_t>(channels);
  const auto load = [&](std::size_t c, std::size_t i) HWY_ATTR { return hn::LoadU(d, in[c] + i); };
  std::size_t i = 0;
  if (channels == 2) {
    for (; i + N <= n; i += N) hn::StoreInterleaved2(load(0, i), load(1, i), d, out + 2 * i);
  } else if (channels == 3) {
    for (; i + N <= n; i += N) hn::StoreInterleaved3(load(0, i), load(1, i), load(2, i), d, out + 3 * i);
  } else if (channels == 4) {
    for (; i + N <= n; i += N) hn::StoreInterleaved4(load(0, i), load(1, i), load(2, i), load(3, i), d, out + 4 * i);
  }
  for (; i < n; ++i) {
    for (std::size_t c = 0; c < k; ++c) out[k * i + c] = in[c][i];
  }
}

// A true division: v * (1 / white) is not the nearest float of v / white.
template <class T>
void Shares(const T* in, float* out, std::size_t n, float white) {
  const hn::ScalableTag<float> d;
  const hn::RebindToSigned<decltype(d)> di;
  const hn::Rebind<T, decltype(d)> dt;
  const std::size_t N = hn::Lanes(d);
  const auto w = hn::Set(d, white);
  std::size_t i = 0;
  for (; i + N <= n; i += N)
    hn::StoreU(hn::Div(hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(dt, in + i))), w), d, out + i);
  for (; i < n; ++i) out[i] = static_cast<float>(in[i]) / white;
}

// Half a level beyond either end still rounds to the end level: only what is truly lost counts.
void CountLost(const float* in, std::size_t n, float white, Saturation& lost) {
  for (std::size_t i = 0; i < n; ++i) {
    lost.below += in[i] * white <= -0.5F;
    lost.above += in[i] > 1 && in[i] * white + 0.5F >= white + 1;
    lost.not_a_number += in[i] != in[i];
  }
}

template <class T>
void Levels(const float* in, T* out, std::size_t n, float white, Saturation& lost) {
  const hn::ScalableTag<float> d;
  const hn::RebindToSigned<decltype(d)> di;
  const hn::Rebind<T, decltype(d)> dt;
  const std::size_t N = hn::Lanes(d);
  const auto w = hn::Set(d, white), half = hn::Set(d, 0.5F), zero = hn::Zero(d), one = hn::Set(d, 1.0F);
  std::size_t i = 0;
  for (; i + N <= n; i += N) {
    const auto v = hn::LoadU(d, in + i);
    const auto inside = hn::And(hn::Ge(v, zero), hn::Le(v, one));
    auto held = v;
    if (!hn::AllTrue(d, inside)) {
      CountLost(in + i, N, white, lost);
      held = hn::IfThenElse(inside, v, hn::IfThenElseZero(hn::Gt(v, one), one));
    }
    hn::StoreU(hn::DemoteTo(dt, hn::ConvertTo(di, hn::Add(hn::Mul(held, w), half))), dt, out + i);
  }
  CountLost(in + i, n - i, white, lost);
  for (; i < n; ++i) {
    const float held = in[i] >= 0 && in[i] <= 1 ? in[i] : in[i] > 1 ? 1.0F : 0.0F;
    const float level = held * white + 0.5F;  // rounded as in the lanes
    out[i] = static_cast<T>(level);
  }
}

template <class T>
void Split(const T* in, float* const* planes, int channels, std::size_t n, float white) {
  const auto k = static_cast<std::size_t>(channels);
  if constexpr (std::is_same_v<T, float>) {
    if (channels == 1) {
      std::copy_n(in, n, planes[0]);
    } else {
      Apart(in, planes, channels, n);
    }
  } else {
    T buffer[4][kPiece];
    T* const apart[] = {buffer[0], buffer[1], buffer[2], buffer[3]};
    for (std::size_t i = 0; i < n; i += kPiece) {
      const std::size_t m = std::min(kPiece, n - i);
      if (channels > 1) Apart(in + k * i, apart, channels, m);
      for (std::size_t c = 0; c < k; ++c) Shares(channels > 1 ? apart[c] : in + i, planes[c] + i, m, white);
    }
  }
}

template <class T>
void Join(const float* const* planes, T* out, int channels, std::size_t n, float white, Saturation& lost) {
  const auto k = static_cast<std::size_t>(channels);
  if constexpr (std::is_same_v<T, float>) {
    if (channels == 1) {
      std::copy_n(planes[0], n, out);
    } else {
      Together(planes, out, channels, n);
    }
  } else {
    T buffer[4][kPiece];
    const T* const apart[] = {buffer[0], buffer[1], buffer[2], buffer[3]};
    for (std::size_t i = 0; i < n; i += kPiece) {
      const std::size_t m = std::min(kPiece, n - i);
      for (std::size_t c = 0; c < k; ++c) Levels(planes[c] + i, channels > 1 ? buffer[c] : out + i, m, white, lost);
      if (channels > 1) Together(apart, out + k * i, channels, m);
    }
  }
}

void SplitBytes(const std::uint8_t* in, float* const* planes, int channels, std::size_t n, float white) {
  Split(in, planes, channels, n, white);
}
void SplitWords(const std::uint16_t* in, float* const* planes, int channels, std::size_t n, float white) {
  Split(in, planes, channels, n, white);
}
void SplitFloats(const float* in, float* const* planes, int channels, std::size_t n, float white) {
  Split(in, planes, channels, n, white);
}
void JoinBytes(const float* const* planes, std::uint8_t* out, int channels, std::size_t n, float white,
               Saturation& lost) {
  Join(planes, out, channels, n, white, lost);
}
void JoinWords(const float* const* planes, std::uint16_t* out, int channels, std::size_t n, float white,
               Saturation& lost) {
  Join(planes, out, channels, n, white, lost);
}
void JoinFloats(const float* const* planes, float* out, int channels, std::size_t n, float white, Saturation& lost) {
  Join(planes, out, channels, n, white, lost);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(SplitBytes);
HWY_EXPORT(SplitWords);
HWY_EXPORT(SplitFloats);
HWY_EXPORT(JoinBytes);
HWY_EXPORT(JoinWords);
HWY_EXPORT(JoinFloats);

void split_row(const std::uint8_t* in, float* const* planes, int channels, std::size_t n, float white) {
  HWY_DYNAMIC_DISPATCH(SplitBytes)(in, planes, channels, n, white);
}
void split_row(const std::uint16_t* in, float* const* planes, int channels, std::size_t n, float white) {
  HWY_DYNAMIC_DISPATCH(SplitWords)(in, planes, channels, n, white);
}
void split_row(const float* in, float* const* planes, int channels, std::size_t n, float white) {
  HWY_DYNAMIC_DISPATCH(SplitFloats)(in, planes, channels, n, white);
}
void join_row(const float* const* planes, std::uint8_t* out, int channels, std::size_t n, float white,
              Saturation& lost) {
  HWY_DYNAMIC_DISPATCH(JoinBytes)(planes, out, channels, n, white, lost);
}
void join_row(const float* const* planes, std::uint16_t* out, int channels, std::size_t n, float white,
              Saturation& lost) {
  HWY_DYNAMIC_DISPATCH(JoinWords)(planes, out, channels, n, white, lost);
}
void join_row(const float* const* planes, float* out, int channels, std::size_t n, float white, Saturation& lost) {
  HWY_DYNAMIC_DISPATCH(JoinFloats)(planes, out, channels, n, white, lost);
}

}  // namespace sieve::internal::lanes
#endif
