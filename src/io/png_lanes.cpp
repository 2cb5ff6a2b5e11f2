#include "io/png_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "io/png_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <array>
#include <cstring>

HWY_BEFORE_NAMESPACE();
namespace sieve::io::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

using Byte = std::uint8_t;
using D = hn::ScalableTag<Byte>;

template <class V>
HWY_INLINE V Mean(V a, V b) {
  return hn::Sub(hn::AverageRound(a, b), hn::And(hn::Xor(a, b), hn::Set(hn::DFromV<V>(), Byte{1})));
}

template <class V>
HWY_INLINE V Distance(V a, V b) {
  return hn::Or(hn::SaturatedSub(a, b), hn::SaturatedSub(b, a));
}

template <class V>
HWY_INLINE auto NotBelow(V a, V b) {
  return hn::Eq(hn::Max(a, b), a);
}

// Of left, above and left above the first that is nearest to a + b - c, whose distances are |b - c|, |a - c| and their
// sum, or their difference where a and b lie on two sides of c.
template <class V>
HWY_INLINE V Nearest(V a, V b, V c) {
  const V to_a = Distance(b, c), to_b = Distance(a, c);
  const auto one_side = hn::Not(hn::Xor(NotBelow(a, c), NotBelow(b, c)));
  const V to_c = hn::IfThenElse(one_side, hn::Set(hn::DFromV<V>(), Byte{255}), Distance(to_a, to_b));
  const V other = hn::IfThenElse(NotBelow(to_c, to_b), b, c);
  return hn::IfThenElse(NotBelow(hn::Min(to_b, to_c), to_a), a, other);
}

// What filter `Number` of the specification predicts.
template <int Number, class V>
HWY_INLINE V Predicted(V a, V b, V c) {
  if constexpr (Number == 0) {
    return hn::Zero(hn::DFromV<V>());
  } else if constexpr (Number == 1) {
    return a;
  } else if constexpr (Number == 2) {
    return b;
  } else if constexpr (Number == 3) {
    return Mean(a, b);
  } else {
    return Nearest(a, b, c);
  }
}

// Sixteen times log2(1 + size) for sizes 0..15, and for those from 16 times the index on.
alignas(16) constexpr Byte kBitsLow[16] = {0, 16, 25, 32, 37, 41, 45, 48, 51, 53, 55, 57, 59, 61, 63, 64};
alignas(16) constexpr Byte kBitsHigh[16] = {0, 74, 86, 93, 99, 104, 107, 111, 112};

// The bits of bytes, taken as signed.
HWY_INLINE hn::Vec<D> Bits(hn::Vec<D> v, hn::Vec<D> low, hn::Vec<D> high) {
  const D d;
  const auto size = hn::BitCast(d, hn::Abs(hn::BitCast(hn::RebindToSigned<D>(), v))), coarse = hn::ShiftRight<4>(size);
#if HWY_TARGET == HWY_SCALAR
  // One byte wide, vectors hold no table.
  (void)low, (void)high;
  const Byte index = hn::GetLane(size), upper = hn::GetLane(coarse);
  return hn::Set(d, upper == 0 ? kBitsLow[index] : kBitsHigh[upper]);
#else
  return hn::IfThenElse(hn::Eq(coarse, hn::Zero(d)), hn::TableLookupBytes(low, size),
                        hn::TableLookupBytes(high, coarse));
#endif
}

// The bytes before the first pixel of a row are 0, as are those above the first row: rows are copied behind zeros.
void Remainder(int number, const Byte* row, const Byte* above, std::size_t n, std::size_t step, Byte* out) {
  const D d;
  const auto run = [&]<int Number>() HWY_ATTR {
    for (std::size_t i = 0; i < n; i += hn::Lanes(d)) {
      const auto p =
          Predicted<Number>(hn::LoadU(d, row + i - step), hn::LoadU(d, above + i), hn::LoadU(d, above + i - step));
      hn::StoreU(hn::Sub(hn::LoadU(d, row + i), p), d, out + i);
    }
  };
  switch (number) {
    case 0:
      return run.template operator()<0>();
    case 1:
      return run.template operator()<1>();
    case 2:
      return run.template operator()<2>();
    case 3:
      return run.template operator()<3>();
    default:
      return run.template operator()<4>();
  }
}

int CheapestFilter(const Byte* row, const Byte* above, std::size_t n, std::size_t step) {
  const D d;
  const hn::Repartition<std::uint64_t, D> d64;
  const auto low = hn::LoadDup128(d, kBitsLow), high = hn::LoadDup128(d, kBitsHigh);
  auto cost0 = hn::Zero(d64), cost1 = cost0, cost2 = cost0, cost3 = cost0, cost4 = cost0;
  for (std::size_t i = 0; i < n; i += hn::Lanes(d)) {
    const auto row_only = hn::FirstN(d, std::min(n - i, hn::Lanes(d)));
    const auto sum = [&](hn::Vec<D> rest)
                         HWY_ATTR { return hn::SumsOf8(hn::IfThenElseZero(row_only, Bits(rest, low, high))); };
    const auto v = hn::LoadU(d, row + i), a = hn::LoadU(d, row + i - step), b = hn::LoadU(d, above + i),
               c = hn::LoadU(d, above + i - step);
    cost0 = hn::Add(cost0, sum(v));
    cost1 = hn::Add(cost1, sum(hn::Sub(v, a)));
    cost2 = hn::Add(cost2, sum(hn::Sub(v, b)));
    cost3 = hn::Add(cost3, sum(hn::Sub(v, Mean(a, b))));
    cost4 = hn::Add(cost4, sum(hn::Sub(v, Nearest(a, b, c))));
  }
  const std::array<std::uint64_t, 5> cost = {
      hn::GetLane(hn::SumOfLanes(d64, cost0)), hn::GetLane(hn::SumOfLanes(d64, cost1)),
      hn::GetLane(hn::SumOfLanes(d64, cost2)), hn::GetLane(hn::SumOfLanes(d64, cost3)),
      hn::GetLane(hn::SumOfLanes(d64, cost4))};
  return static_cast<int>(std::min_element(cost.begin(), cost.end()) - cost.begin());
}

// A pixel of up to 8 bytes after the other, since each needs the one before.
template <int Number, std::size_t Step>
void Restore(const Byte* in, const Byte* above, std::size_t n, Byte* out) {
  const hn::CappedTag<Byte, 8> d;
  // Where vectors are a byte wide, the first byte of all pixels, then the second, ...
  for (std::size_t first = 0; first < Step; first += hn::Lanes(d)) {
    auto a = hn::Zero(d), c = hn::Zero(d);
    for (std::size_t i = first; i < n; i += Step) {
      const auto b = hn::LoadU(d, above + i);
      a = hn::Add(hn::LoadU(d, in + i), Predicted<Number>(a, b, c));
      c = b;
      hn::StoreU(a, d, out + i);
    }
  }
}

template <std::size_t Step>
void RestoreBy(int number, const Byte* in, const Byte* above, std::size_t n, Byte* out) {
  const D d;
  switch (number) {
    case 0:
      std::memcpy(out, in, n);
      return;
    case 1:
      return Restore<1, Step>(in, above, n, out);
    case 2: {
      std::size_t i = 0;
      for (; i + hn::Lanes(d) <= n; i += hn::Lanes(d))
        hn::StoreU(hn::Add(hn::LoadU(d, in + i), hn::LoadU(d, above + i)), d, out + i);
      for (; i < n; ++i) out[i] = static_cast<Byte>(in[i] + above[i]);
      return;
    }
    case 3:
      return Restore<3, Step>(in, above, n, out);
    default:
      return Restore<4, Step>(in, above, n, out);
  }
}

bool RestoreRow(const Byte* in, const Byte* above, std::size_t n, std::size_t step, Byte* out) {
  const int number = in[0];
  if (number > 4) return false;
  switch (step) {
    case 1:
      RestoreBy<1>(number, in + 1, above, n, out);
      break;
    case 2:
      RestoreBy<2>(number, in + 1, above, n, out);
      break;
    case 3:
      RestoreBy<3>(number, in + 1, above, n, out);
      break;
    case 4:
      RestoreBy<4>(number, in + 1, above, n, out);
      break;
    case 6:
      RestoreBy<6>(number, in + 1, above, n, out);
      break;
    default:
      RestoreBy<8>(number, in + 1, above, n, out);
      break;
  }
  return true;
}

}  // namespace sieve::io::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::io::lanes {

HWY_EXPORT(CheapestFilter);
HWY_EXPORT(Remainder);
HWY_EXPORT(RestoreRow);

int cheapest_filter(const std::uint8_t* row, const std::uint8_t* above, std::size_t n, std::size_t step) {
  return HWY_DYNAMIC_DISPATCH(CheapestFilter)(row, above, n, step);
}
void remainder(int number, const std::uint8_t* row, const std::uint8_t* above, std::size_t n, std::size_t step,
               std::uint8_t* out) {
  HWY_DYNAMIC_DISPATCH(Remainder)(number, row, above, n, step, out);
}
bool restore_row(const std::uint8_t* in, const std::uint8_t* above, std::size_t n, std::size_t step,
                 std::uint8_t* out) {
  return HWY_DYNAMIC_DISPATCH(RestoreRow)(in, above, n, step, out);
}

}  // namespace sieve::io::lanes
#endif
