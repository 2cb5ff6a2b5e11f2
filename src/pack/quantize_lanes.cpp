#include "pack/quantize_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "pack/quantize_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <algorithm>
#include <cmath>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Added before magnitudes are cut to whole steps, 0.5 would be to the nearest: from trial over photographs at equal
// PSNR.
constexpr float kRoundOne = 0.26F, kRoundMore = 0.38F;
// Below one step so much is added for each step of the values around, kRoundOne at most.
constexpr float kRoundForEach = 0.1F;
constexpr float kMost = 1e9F;

template <class D, class V>
HWY_INLINE V Whole(D d, V magnitude) {
  const auto round = hn::IfThenElse(hn::Lt(magnitude, hn::Set(d, 2.0F)), hn::Set(d, kRoundOne), hn::Set(d, kRoundMore));
  return hn::Floor(hn::Min(hn::Add(magnitude, round), hn::Set(d, kMost)));
}

// With the sign of f in the highest bit.
template <class D, class V>
HWY_INLINE void Put(D, V f, V whole, std::uint32_t* out) {
  const hn::RebindToUnsigned<D> du;
  const hn::RebindToSigned<D> di;
  const auto sign = hn::And(hn::BitCast(du, f), hn::Set(du, 0x80000000U));
  hn::StoreU(hn::Or(hn::BitCast(du, hn::ConvertTo(di, whole)), sign), du, out);
}

// size(p) gives the whole steps at p and what lies around, or 0 where there is no row.
template <class D, class Size>
HWY_INLINE void Quantize(D d, const DetailRow& in, float per, std::uint32_t* out, std::size_t x, bool left, bool right,
                         Size size) {
  const auto one = hn::Set(d, 1.0F), f = hn::LoadU(d, in.row + x), a = hn::Mul(hn::Abs(f), hn::Set(d, per));
  auto whole = Whole(d, a);
  const auto doubtful = hn::And(hn::Eq(whole, one), hn::Lt(a, one));
  if (!hn::AllFalse(d, doubtful)) {
    auto around = hn::Zero(d);
    for (const float* row : {in.above, in.row, in.below}) {
      if (row == nullptr) continue;
      if (row != in.row) around = hn::Add(around, size(row + x));
      if (left) around = hn::Add(around, size(row + x - 1));
      if (right) around = hn::Add(around, size(row + x + 1));
    }
    const auto round = hn::Min(hn::Mul(around, hn::Set(d, kRoundForEach)), hn::Set(d, kRoundOne));
    whole = hn::IfThenElse(hn::And(doubtful, hn::Lt(hn::Add(a, round), one)), hn::Zero(d), whole);
  }
  Put(d, f, whole, out + x);
}

void QuantizeDetails(const DetailRow& in, float per, std::uint32_t* out, std::size_t n) {
  const auto some = [&](auto d, std::size_t x, bool left, bool right) HWY_ATTR {
    Quantize(d, in, per, out, x, left, right, [&](const float* p) HWY_ATTR {
      return hn::Floor(hn::MulAdd(hn::Abs(hn::LoadU(d, p)), hn::Set(d, per), hn::Set(d, kRoundOne)));
    });
  };
  const hn::ScalableTag<float> d;
  const hn::CappedTag<float, 1> one;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  if (n > 1 && !in.left) some(one, x++, false, true);
  for (; x + N < n; x += N) some(d, x, true, true);
  for (; x < n; ++x) some(one, x, x > 0 || in.left, x + 1 < n || in.right);
}

void QuantizeApproximation(const float* row, float per, std::uint32_t* out, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto f = hn::LoadU(d, row + x);
    Put(d, f, Whole(d, hn::Mul(hn::Abs(f), hn::Set(d, per))), out + x);
  });
}

// Where values lie within their intervals on the mean: those of one step, and all larger ones.
constexpr float kOne = 1.13F, kBeyond = 0.08F;
// The same of the values that the bits that are not known can have.
constexpr float kWithin = 0.45F;

void RestoreValues(const std::uint32_t* values, const std::uint8_t* left, float step, float* out, std::size_t n) {
  const auto some = [&](auto d, std::size_t x, std::size_t count) HWY_ATTR {
    const hn::RebindToUnsigned<decltype(d)> du;
    const hn::RebindToSigned<decltype(d)> di;
    const int unknown = left[x / 8];
    const float middle = kBeyond + kWithin * (static_cast<float>(std::uint64_t{1} << unknown) - 1);
    const auto lone = hn::Set(d, unknown == 0 ? kOne : 1 + middle);
    for (std::size_t i = 0; i < count; i += hn::Lanes(d)) {
      const auto v = hn::LoadU(du, values + x + i);
      const auto sign = hn::And(v, hn::Set(du, 0x80000000U));
      const auto m = hn::ConvertTo(d, hn::BitCast(di, hn::Xor(v, sign)));
      auto size = hn::IfThenElse(hn::Eq(m, hn::Set(d, 1.0F)), lone, hn::Add(m, hn::Set(d, middle)));
      size = hn::IfThenZeroElse(hn::Eq(m, hn::Zero(d)), hn::Mul(size, hn::Set(d, step)));
      hn::StoreU(hn::Or(size, hn::BitCast(d, sign)), d, out + x + i);
    }
  };
  std::size_t x = 0;
  for (; x + 8 <= n; x += 8) some(hn::CappedTag<float, 8>(), x, 8);
  for (; x < n; ++x) some(hn::CappedTag<float, 1>(), x, 1);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(QuantizeDetails);
HWY_EXPORT(QuantizeApproximation);
HWY_EXPORT(RestoreValues);

void quantize_details(const DetailRow& in, float per, std::uint32_t* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(QuantizeDetails)(in, per, out, n);
}
void quantize_approximation(const float* row, float per, std::uint32_t* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(QuantizeApproximation)(row, per, out, n);
}
std::uint32_t quantized(float magnitude, float per) {
  const float v[1] = {magnitude};
  std::uint32_t q;
  quantize_approximation(v, per, &q, 1);
  return q;
}
void restore_values(const std::uint32_t* values, const std::uint8_t* left, float step, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(RestoreValues)(values, left, step, out, n);
}

}  // namespace sieve::internal::lanes
#endif
