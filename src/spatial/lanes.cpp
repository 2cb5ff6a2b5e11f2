#include "spatial/lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spatial/lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cstdint>
#include <type_traits>
#include <utility>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// The nearest float. Where there are no vectors, or none but arrays (for Clang), DemoteTo would make infinity the
// largest number.
template <class F, class V>
HWY_INLINE auto Narrow(F f, V v) {
#if HWY_TARGET == HWY_SCALAR || HWY_TARGET == HWY_EMU128
  const hn::DFromV<V> d;
  HWY_ALIGN double wide[hn::MaxLanes(d)];
  HWY_ALIGN float narrow[hn::MaxLanes(f)];
  hn::Store(v, d, wide);
  std::transform(wide, wide + hn::MaxLanes(d), narrow, [](double sample) { return static_cast<float>(sample); });
  return hn::Load(f, narrow);
#else
  return hn::DemoteTo(f, v);
#endif
}

// One vector of results at x; D may be narrower than the processor's vectors for the last samples.
template <class D>
HWY_INLINE hn::Vec<D> SumAt(D d, const float* const* sources, const float* weights, std::size_t taps, std::size_t x) {
  auto sum = hn::Mul(hn::Set(d, weights[0]), hn::LoadU(d, sources[0] + x));
  for (std::size_t t = 1; t < taps; ++t) sum = hn::MulAdd(hn::Set(d, weights[t]), hn::LoadU(d, sources[t] + x), sum);
  return sum;
}

template <bool kStream>
HWY_INLINE void SumRow(const float* const* sources, const float* weights, std::size_t taps, float* out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  const auto put = [&](auto v, std::size_t at) HWY_ATTR {
    if constexpr (kStream) {
      hn::Stream(v, d, out + at);
    } else {
      hn::StoreU(v, d, out + at);
    }
  };
  for (; x + 4 * N <= n; x += 4 * N) {
    const auto w0 = hn::Set(d, weights[0]);
    const float* s = sources[0] + x;
    auto a = hn::Mul(w0, hn::LoadU(d, s)), b = hn::Mul(w0, hn::LoadU(d, s + N));
    auto c = hn::Mul(w0, hn::LoadU(d, s + 2 * N)), e = hn::Mul(w0, hn::LoadU(d, s + 3 * N));
    for (std::size_t t = 1; t < taps; ++t) {
      const auto w = hn::Set(d, weights[t]);
      s = sources[t] + x;
      a = hn::MulAdd(w, hn::LoadU(d, s), a);
      b = hn::MulAdd(w, hn::LoadU(d, s + N), b);
      c = hn::MulAdd(w, hn::LoadU(d, s + 2 * N), c);
      e = hn::MulAdd(w, hn::LoadU(d, s + 3 * N), e);
    }
    put(a, x);
    put(b, x + N);
    put(c, x + 2 * N);
    put(e, x + 3 * N);
  }
  for (; x + N <= n; x += N) put(SumAt(d, sources, weights, taps, x), x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) hn::StoreU(SumAt(one, sources, weights, taps, x), one, out + x);
}

void WeightedSum(const float* const* sources, const float* weights, std::size_t taps, float* out, std::size_t n,
                 bool stream) {
  const std::size_t bytes = hn::Lanes(hn::ScalableTag<float>()) * sizeof(float);
  if (stream && reinterpret_cast<std::uintptr_t>(out) % bytes == 0) {
    SumRow<true>(sources, weights, taps, out, n);
  } else {
    SumRow<false>(sources, weights, taps, out, n);
  }
}

void AlongRow(const float* HWY_RESTRICT row, const float* HWY_RESTRICT weights, std::size_t taps,
              float* HWY_RESTRICT out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  constexpr std::size_t kVectors = HWY_TARGET <= HWY_AVX3 ? 12 : 8;
  std::size_t x = 0;
  for (; x + kVectors * N <= n; x += kVectors * N) {
    hn::Vec<decltype(d)> sum[kVectors];
    for (std::size_t v = 0; v < kVectors; ++v) sum[v] = hn::Zero(d);
    for (std::size_t t = 0; t < taps; ++t) {
      const auto w = hn::Set(d, weights[t]);
      for (std::size_t v = 0; v < kVectors; ++v) sum[v] = hn::MulAdd(w, hn::LoadU(d, row + x + t + v * N), sum[v]);
    }
    for (std::size_t v = 0; v < kVectors; ++v) hn::StoreU(sum[v], d, out + x + v * N);
  }
  const auto rest = [&](auto tag, std::size_t at) HWY_ATTR {
    auto sum = hn::Zero(tag);
    for (std::size_t t = 0; t < taps; ++t)
      sum = hn::MulAdd(hn::Set(tag, weights[t]), hn::LoadU(tag, row + at + t), sum);
    hn::StoreU(sum, tag, out + at);
  };
  for (; x + N <= n; x += N) rest(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) rest(one, x);
}

// kRows result rows by kVectors vectors of accumulators. The rows of the first and last few steps serve only some of
// the results: they are unrolled, so that no sample is ever multiplied by a weight that is not in the kernel.
template <std::size_t kRows, std::size_t kVectors, bool kStream, class D>
HWY_INLINE void Block(D d, const float* const* rows, const float* taps, std::size_t kw, std::size_t kh,
                      float* const* out, std::size_t x) {
  const std::size_t N = hn::Lanes(d);
  hn::Vec<D> sum[kRows][kVectors];
  for (std::size_t r = 0; r < kRows; ++r) {
    for (std::size_t v = 0; v < kVectors; ++v) sum[r][v] = hn::Zero(d);
  }
  const auto step = [&](std::size_t i, std::size_t m, auto from, auto past) HWY_ATTR {
    hn::Vec<D> s[kVectors];
    for (std::size_t v = 0; v < kVectors; ++v) s[v] = hn::LoadU(d, rows[m] + x + i + v * N);
    for (std::size_t r = decltype(from)::value; r < decltype(past)::value; ++r) {
      const auto w = hn::Set(d, taps[(m - r) * kw + i]);
      for (std::size_t v = 0; v < kVectors; ++v) sum[r][v] = hn::MulAdd(w, s[v], sum[r][v]);
    }
  };
  using std::integral_constant;
  for (std::size_t i = 0; i < kw; ++i) {
    [&]<std::size_t... head>(std::index_sequence<head...>) HWY_ATTR {
      (step(i, head, integral_constant<std::size_t, 0>(), integral_constant<std::size_t, head + 1>()), ...);
    }
    (std::make_index_sequence<kRows - 1>());
    for (std::size_t m = kRows - 1; m < kh; ++m) {
      step(i, m, integral_constant<std::size_t, 0>(), integral_constant<std::size_t, kRows>());
    }
    [&]<std::size_t... tail>(std::index_sequence<tail...>) HWY_ATTR {
      (step(i, kh + tail, integral_constant<std::size_t, tail + 1>(), integral_constant<std::size_t, kRows>()), ...);
    }
    (std::make_index_sequence<kRows - 1>());
  }
  for (std::size_t r = 0; r < kRows; ++r) {
    for (std::size_t v = 0; v < kVectors; ++v) {
      if constexpr (kStream) {
        hn::Stream(sum[r][v], d, out[r] + x + v * N);
      } else {
        hn::StoreU(sum[r][v], d, out[r] + x + v * N);
      }
    }
  }
}

template <std::size_t kRows, bool kStream>
HWY_INLINE void Blocks(const float* const* rows, const float* taps, std::size_t kw, std::size_t kh, float* const* out,
                       std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  // As many accumulators as the registers of the target hold.
  constexpr std::size_t kVectors = (HWY_TARGET <= HWY_AVX3 ? 16 : 8) / kRows;
  std::size_t x = 0;
  for (; x + kVectors * N <= n; x += kVectors * N) Block<kRows, kVectors, kStream>(d, rows, taps, kw, kh, out, x);
  for (; x + N <= n; x += N) Block<kRows, 1, kStream>(d, rows, taps, kw, kh, out, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) Block<kRows, 1, false>(one, rows, taps, kw, kh, out, x);
}

void BlockSum(const float* const* rows, const float* taps, std::size_t kw, std::size_t kh, float* const* out,
              std::size_t count, std::size_t n, bool stream) {
  const std::size_t bytes = hn::Lanes(hn::ScalableTag<float>()) * sizeof(float);
  for (std::size_t r = 0; r < count; ++r) stream = stream && reinterpret_cast<std::uintptr_t>(out[r]) % bytes == 0;
  const auto run = [&](auto kRows, std::size_t at) HWY_ATTR {
    if (stream) {
      Blocks<decltype(kRows)::value, true>(rows + at, taps, kw, kh, out + at, n);
    } else {
      Blocks<decltype(kRows)::value, false>(rows + at, taps, kw, kh, out + at, n);
    }
  };
  if (count == 4 && kh >= 4) return run(std::integral_constant<std::size_t, 4>(), 0);
  std::size_t r = 0;
  for (; r + 2 <= count && kh >= 2; r += 2) run(std::integral_constant<std::size_t, 2>(), r);
  for (; r < count; ++r) run(std::integral_constant<std::size_t, 1>(), r);
}

float Dot(const float* a, const float* b, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  auto sum = hn::Zero(d);
  std::size_t i = 0;
  for (; i + N <= n; i += N) sum = hn::MulAdd(hn::LoadU(d, a + i), hn::LoadU(d, b + i), sum);
  float total = hn::GetLane(hn::SumOfLanes(d, sum));
  for (; i < n; ++i) total += a[i] * b[i];
  return total;
}

bool Slide(double* HWY_RESTRICT sums, const float* HWY_RESTRICT enter, const float* HWY_RESTRICT leave, double scale,
           float* HWY_RESTRICT out, std::size_t n) {
  const hn::ScalableTag<double> d;
  const hn::Rebind<float, decltype(d)> f;
  const std::size_t N = hn::Lanes(d);
  const auto s = hn::Set(d, scale);
  auto odd = hn::Zero(f);
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    const auto e = hn::LoadU(f, enter + x);
    odd = hn::Or(odd, hn::Sub(e, e));
    const auto change = hn::Sub(hn::PromoteTo(d, e), hn::PromoteTo(d, hn::LoadU(f, leave + x)));
    const auto sum = hn::Add(hn::LoadU(d, sums + x), change);
    hn::StoreU(sum, d, sums + x);
    hn::StoreU(Narrow(f, hn::Mul(sum, s)), f, out + x);
  }
  bool finite = hn::AllTrue(f, hn::Eq(odd, hn::Zero(f)));
  for (; x < n; ++x) {
    finite = finite && enter[x] - enter[x] == 0;
    sums[x] += static_cast<double>(enter[x]) - static_cast<double>(leave[x]);
    out[x] = static_cast<float>(sums[x] * scale);
  }
  return finite;
}

bool Accumulate(double* HWY_RESTRICT sums, const float* HWY_RESTRICT row, double times, std::size_t n) {
  const hn::ScalableTag<double> d;
  const hn::Rebind<float, decltype(d)> f;
  const std::size_t N = hn::Lanes(d);
  const auto t = hn::Set(d, times);
  auto odd = hn::Zero(f);
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    const auto v = hn::LoadU(f, row + x);
    odd = hn::Or(odd, hn::Sub(v, v));
    hn::StoreU(hn::MulAdd(hn::PromoteTo(d, v), t, hn::LoadU(d, sums + x)), d, sums + x);
  }
  bool finite = hn::AllTrue(f, hn::Eq(odd, hn::Zero(f)));
  for (; x < n; ++x) {
    finite = finite && row[x] - row[x] == 0;
    sums[x] += static_cast<double>(row[x]) * times;
  }
  return finite;
}

bool AddWindowRow(double* HWY_RESTRICT sums, const float* HWY_RESTRICT row, const float* HWY_RESTRICT before,
                  double scale, float* HWY_RESTRICT out, std::size_t n) {
  const hn::ScalableTag<double> d;
  const hn::Rebind<float, decltype(d)> f;
  const std::size_t N = hn::Lanes(d);
  const auto s = hn::Set(d, scale);
  auto odd = hn::Zero(f);
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    const auto sum = hn::Add(hn::LoadU(d, sums + x), hn::PromoteTo(d, hn::LoadU(f, row + x)));
    hn::StoreU(sum, d, sums + x);
    const auto all = before == nullptr ? sum : hn::Add(sum, hn::PromoteTo(d, hn::LoadU(f, before + x)));
    const auto mean = Narrow(f, hn::Mul(all, s));
    odd = hn::Or(odd, hn::Sub(mean, mean));
    hn::StoreU(mean, f, out + x);
  }
  bool finite = hn::AllTrue(f, hn::Eq(odd, hn::Zero(f)));
  for (; x < n; ++x) {
    sums[x] += static_cast<double>(row[x]);
    out[x] = static_cast<float>((before == nullptr ? sums[x] : sums[x] + static_cast<double>(before[x])) * scale);
    finite = finite && out[x] - out[x] == 0;
  }
  return finite;
}

void AddIntoRow(double* HWY_RESTRICT sums, float* HWY_RESTRICT row, std::size_t n) {
  const hn::ScalableTag<double> d;
  const hn::Rebind<float, decltype(d)> f;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    const auto sum = hn::Add(hn::LoadU(d, sums + x), hn::PromoteTo(d, hn::LoadU(f, row + x)));
    hn::StoreU(sum, d, sums + x);
    hn::StoreU(Narrow(f, sum), f, row + x);
  }
  for (; x < n; ++x) row[x] = static_cast<float>(sums[x] += static_cast<double>(row[x]));
}

void Multiply(const float* a, const float* b, float* out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) hn::StoreU(hn::Mul(hn::LoadU(d, a + x), hn::LoadU(d, b + x)), d, out + x);
  for (; x < n; ++x) out[x] = a[x] * b[x];
}

// a[x] += b[x] for x below n rounded up to whole vectors; b lies ahead in the same row or elsewhere. Each vector is
// read before a later one is written, in rising order.
HWY_INLINE void AddUp(float* a, const float* b, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  for (std::size_t x = 0; x < n; x += N) hn::StoreU(hn::Add(hn::LoadU(d, a + x), hn::LoadU(d, b + x)), d, a + x);
}

// From N places to the next N the sums change by N entering and N leaving samples: by two sums of width N.
template <bool kStream>
HWY_INLINE void RunAlong(float* HWY_RESTRICT row, std::size_t n, std::size_t k, float* HWY_RESTRICT out) {
  const hn::ScalableTag<double> d;
  const hn::Rebind<float, decltype(d)> f;
  const std::size_t N = hn::Lanes(d);
  const auto at = [&](std::size_t x) HWY_ATTR { return hn::PromoteTo(d, hn::LoadU(f, row + x)); };
  // The first sums: what is left over of whole vectors, then sums of N neighbors.
  auto sum = hn::Zero(d), other = sum;
  std::size_t j = k / N * N;
  for (; j < k; ++j) sum = hn::Add(sum, at(j));
  for (std::size_t width = 1; width < N; width *= 2) AddUp(row, row + width, n + k - 1);
  for (j = 0; j + 2 * N <= k; j += 2 * N) {
    sum = hn::Add(sum, at(j));
    other = hn::Add(other, at(j + N));
  }
  if (j + N <= k) other = hn::Add(other, at(j));
  sum = hn::Add(sum, other);
  std::size_t x = 0;
  for (; x + N <= n; x += N) {
    if constexpr (kStream) {
      hn::Stream(Narrow(f, sum), f, out + x);
    } else {
      hn::StoreU(Narrow(f, sum), f, out + x);
    }
    sum = hn::Add(sum, hn::Sub(at(x + k), at(x)));
  }
  if (x == n) return;
  HWY_ALIGN float last[hn::MaxLanes(f)];
  hn::Store(Narrow(f, sum), f, last);
  std::copy_n(last, n - x, out + x);
}

void RunningSums(float* row, std::size_t n, std::size_t k, float* out, bool stream) {
  const std::size_t bytes = hn::Lanes(hn::ScalableTag<double>()) * sizeof(float);
  if (stream && reinterpret_cast<std::uintptr_t>(out) % bytes == 0) {
    RunAlong<true>(row, n, k, out);
  } else {
    RunAlong<false>(row, n, k, out);
  }
}

void WindowSums(float* HWY_RESTRICT row, std::size_t n, std::size_t k, float* HWY_RESTRICT out) {
  std::size_t offset = 0, length = n + k - 1;
  bool begun = false;
  for (std::size_t width = 1, bits = k;; width *= 2) {
    if (bits & 1) {
      if (begun) {
        AddUp(out, row + offset, n);
      } else {
        for (std::size_t x = 0; x < n; ++x) out[x] = row[offset + x];
        begun = true;
      }
      offset += width;
    }
    bits >>= 1;
    if (bits == 0) return;
    AddUp(row, row + width, length - width);
    length -= width;
  }
}

void Magnitude(const float* HWY_RESTRICT gx, const float* HWY_RESTRICT gy, float* HWY_RESTRICT out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  const auto of = [&](auto tag, std::size_t at) HWY_ATTR {
    const auto a = hn::LoadU(tag, gx + at), b = hn::LoadU(tag, gy + at);
    hn::StoreU(hn::Sqrt(hn::MulAdd(a, a, hn::Mul(b, b))), tag, out + at);
  };
  for (; x + N <= n; x += N) of(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) of(one, x);
}

// The angle of the smaller over the larger by a polynomial on 0..1, then unfolded to the four quadrants.
void Direction(const float* HWY_RESTRICT gx, const float* HWY_RESTRICT gy, float* HWY_RESTRICT out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  const auto of = [&](auto tag, std::size_t at) HWY_ATTR {
    const auto x = hn::LoadU(tag, gx + at), y = hn::LoadU(tag, gy + at);
    const auto ax = hn::Abs(x), ay = hn::Abs(y);
    const auto more = hn::Max(ax, ay), less = hn::Min(ax, ay);
    const auto steep = hn::Gt(ay, ax);
    const auto t = hn::IfThenElseZero(hn::Gt(more, hn::Zero(tag)), hn::Div(less, more));
    const auto s = hn::Mul(t, t);
    // atan(t) / t in powers of t^2 (minimax on 0..1).
    auto p = hn::Set(tag, 0.00282363896258175373F);
    p = hn::MulAdd(p, s, hn::Set(tag, -0.0159569028764963150F));
    p = hn::MulAdd(p, s, hn::Set(tag, 0.0425049886107444763F));
    p = hn::MulAdd(p, s, hn::Set(tag, -0.0748900920152664185F));
    p = hn::MulAdd(p, s, hn::Set(tag, 0.106347933411598206F));
    p = hn::MulAdd(p, s, hn::Set(tag, -0.142027363181114197F));
    p = hn::MulAdd(p, s, hn::Set(tag, 0.199926957488059998F));
    p = hn::MulAdd(p, s, hn::Set(tag, -0.333331018686294556F));
    auto a = hn::MulAdd(hn::Mul(p, s), t, t);
    a = hn::IfThenElse(steep, hn::Sub(hn::Set(tag, 1.57079632679F), a), a);
    a = hn::IfThenElse(hn::Lt(x, hn::Zero(tag)), hn::Sub(hn::Set(tag, 3.14159265359F), a), a);
    a = hn::IfThenElse(hn::Lt(y, hn::Zero(tag)), hn::Neg(a), a);
    // Min and Max drop NaN: it is put back.
    const auto odd = hn::Add(x, y);
    hn::StoreU(hn::IfThenElse(hn::IsNaN(odd), odd, a), tag, out + at);
  };
  std::size_t x = 0;
  for (; x + N <= n; x += N) of(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) of(one, x);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(WeightedSum);
HWY_EXPORT(Dot);
HWY_EXPORT(AlongRow);
HWY_EXPORT(Slide);
HWY_EXPORT(Accumulate);
HWY_EXPORT(AddWindowRow);
HWY_EXPORT(AddIntoRow);
HWY_EXPORT(Multiply);
HWY_EXPORT(WindowSums);
HWY_EXPORT(RunningSums);
HWY_EXPORT(Magnitude);
HWY_EXPORT(Direction);
HWY_EXPORT(BlockSum);

void weighted_sum(const float* const* sources, const float* weights, std::size_t taps, float* out, std::size_t n,
                  bool stream) {
  HWY_DYNAMIC_DISPATCH(WeightedSum)(sources, weights, taps, out, n, stream);
}
void along_row(const float* row, const float* weights, std::size_t taps, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(AlongRow)(row, weights, taps, out, n);
}
float dot(const float* a, const float* b, std::size_t n) { return HWY_DYNAMIC_DISPATCH(Dot)(a, b, n); }
bool slide(double* sums, const float* enter, const float* leave, double scale, float* out, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(Slide)(sums, enter, leave, scale, out, n);
}
bool accumulate(double* sums, const float* row, double times, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(Accumulate)(sums, row, times, n);
}
bool add_window_row(double* sums, const float* row, const float* before, double scale, float* out, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(AddWindowRow)(sums, row, before, scale, out, n);
}
void add_into_row(double* sums, float* row, std::size_t n) { HWY_DYNAMIC_DISPATCH(AddIntoRow)(sums, row, n); }
void multiply(const float* a, const float* b, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(Multiply)(a, b, out, n);
}
void window_sums(float* row, std::size_t n, std::size_t k, float* out) {
  HWY_DYNAMIC_DISPATCH(WindowSums)(row, n, k, out);
}
void running_sums(float* row, std::size_t n, std::size_t k, float* out, bool stream) {
  HWY_DYNAMIC_DISPATCH(RunningSums)(row, n, k, out, stream);
}
void magnitude(const float* gx, const float* gy, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(Magnitude)(gx, gy, out, n);
}
void direction(const float* gx, const float* gy, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(Direction)(gx, gy, out, n);
}
void block_sum(const float* const* rows, const float* taps, std::size_t kw, std::size_t kh, float* const* out,
               std::size_t count, std::size_t n, bool stream) {
  HWY_DYNAMIC_DISPATCH(BlockSum)(rows, taps, kw, kh, out, count, n, stream);
}

}  // namespace sieve::internal::lanes
#endif
