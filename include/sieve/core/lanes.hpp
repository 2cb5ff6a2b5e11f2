#pragma once
/// Sixteen samples side by side, for functions of windows that are to run as fast as the library's own.

#include <cmath>
#include <cstddef>
#include <cstring>

#include "sieve/core/attributes.hpp"

namespace SIEVE_EXPORT sieve {

/// What a comparison of Lanes gives: yes or no for each of them; see choose().
struct LaneMask {
  /// All bits set for yes, none for no.
  typedef int Four __attribute__((vector_size(16)));
  Four a, b, c, d;  ///< of the samples 0..3, 4..7, 8..11, 12..15
  /// Both, either, the other way round.
  friend LaneMask operator&(const LaneMask& p, const LaneMask& q) {
    return {p.a & q.a, p.b & q.b, p.c & q.c, p.d & q.d};
  }
  friend LaneMask operator|(const LaneMask& p, const LaneMask& q) {
    return {p.a | q.a, p.b | q.b, p.c | q.c, p.d | q.d};
  }
  LaneMask operator!() const { return {~a, ~b, ~c, ~d}; }
};

/// Sixteen samples: reckoning with them reckons with each, in the same order and with the same roundings as with one
/// float. A number stands for sixteen of it.
struct Lanes {
  /// What a processor of today reckons with at once.
  typedef float Four __attribute__((vector_size(16)));
  static constexpr int count = 16;  ///< samples
  Four a, b, c, d;                  ///< the samples 0..3, 4..7, 8..11, 12..15

  /// Sixteen of 0, of a number, or of four times four.
  Lanes() : Lanes(0.0F) {}
  Lanes(float v) : a{v, v, v, v}, b(a), c(a), d(a) {}
  Lanes(Four a_, Four b_, Four c_, Four d_) : a(a_), b(b_), c(c_), d(d_) {}
  /// Sixteen floats in a row; no alignment is needed.
  static Lanes load(const float* p) {
    Lanes v;
    std::memcpy(&v.a, p, sizeof a);
    std::memcpy(&v.b, p + 4, sizeof b);
    std::memcpy(&v.c, p + 8, sizeof c);
    std::memcpy(&v.d, p + 12, sizeof d);
    return v;
  }
  /// To sixteen floats in a row.
  void store(float* p) const {
    std::memcpy(p, &a, sizeof a);
    std::memcpy(p + 4, &b, sizeof b);
    std::memcpy(p + 8, &c, sizeof c);
    std::memcpy(p + 12, &d, sizeof d);
  }

  /// Each with each.
  friend Lanes operator+(const Lanes& p, const Lanes& q) { return {p.a + q.a, p.b + q.b, p.c + q.c, p.d + q.d}; }
  friend Lanes operator-(const Lanes& p, const Lanes& q) { return {p.a - q.a, p.b - q.b, p.c - q.c, p.d - q.d}; }
  friend Lanes operator*(const Lanes& p, const Lanes& q) { return {p.a * q.a, p.b * q.b, p.c * q.c, p.d * q.d}; }
  friend Lanes operator/(const Lanes& p, const Lanes& q) { return {p.a / q.a, p.b / q.b, p.c / q.c, p.d / q.d}; }
  Lanes operator-() const { return {-a, -b, -c, -d}; }
  Lanes& operator+=(const Lanes& q) { return *this = *this + q; }
  Lanes& operator-=(const Lanes& q) { return *this = *this - q; }
  Lanes& operator*=(const Lanes& q) { return *this = *this * q; }
  Lanes& operator/=(const Lanes& q) { return *this = *this / q; }
  /// Each with each: no for NaN.
  friend LaneMask operator<(const Lanes& p, const Lanes& q) { return {p.a < q.a, p.b < q.b, p.c < q.c, p.d < q.d}; }
  friend LaneMask operator>(const Lanes& p, const Lanes& q) { return q < p; }
  friend LaneMask operator<=(const Lanes& p, const Lanes& q) {
    return {p.a <= q.a, p.b <= q.b, p.c <= q.c, p.d <= q.d};
  }
  friend LaneMask operator>=(const Lanes& p, const Lanes& q) { return q <= p; }
  friend LaneMask operator==(const Lanes& p, const Lanes& q) {
    return {p.a == q.a, p.b == q.b, p.c == q.c, p.d == q.d};
  }
};

/// p where the mask says yes, else q.
inline Lanes choose(const LaneMask& mask, const Lanes& p, const Lanes& q) {
  return {mask.a ? p.a : q.a, mask.b ? p.b : q.b, mask.c ? p.c : q.c, mask.d ? p.d : q.d};
}
/// The smaller and the larger, p where neither is (as std::min and std::max have it).
inline Lanes min(const Lanes& p, const Lanes& q) { return choose(q < p, q, p); }
inline Lanes max(const Lanes& p, const Lanes& q) { return choose(p < q, q, p); }
/// Without the sign.
inline Lanes abs(const Lanes& p) { return choose(p < Lanes(0.0F), -p, p); }
/// f(v) for every one of them by itself, where no other way is at hand.
template <class F>
Lanes each_lane(const Lanes& p, F f) {
  float v[Lanes::count];
  p.store(v);
  for (float& x : v) x = f(x);
  return Lanes::load(v);
}
/// The square root of each.
inline Lanes sqrt(const Lanes& p) {
  return each_lane(p, [](float v) { return std::sqrt(v); });
}

namespace internal {

// out[x] = f(x) for x in 0..n-1, by sixteen into a row of its own first: what compilers make vectors of even where
// `out` may be what f reads.
template <class F>
void each_sample(float* out, std::size_t n, F f) {
  constexpr auto kCount = static_cast<std::size_t>(Lanes::count);
  std::size_t x = 0;
  for (; x + kCount <= n; x += kCount) {
    float made[kCount];
    for (std::size_t i = 0; i < kCount; ++i) made[i] = f(x + i);
    std::memcpy(out + x, made, sizeof made);
  }
  for (; x < n; ++x) out[x] = f(x);
}

}  // namespace internal
}  // namespace sieve
