#include "denoise/block_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/block_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <cmath>
#include <numbers>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Rows of a block of any side, in parts of up to eight lanes.
using Eight = hn::CappedTag<float, 8>;

#undef SIEVE_WHOLE_ROWS
#define SIEVE_WHOLE_ROWS (!HWY_HAVE_SCALABLE && HWY_MAX_BYTES >= 32)
#if SIEVE_WHOLE_ROWS
// Blocks of 8 by 8 all in registers, a row in a vector; of 16 lanes, two blocks side by side.
using Rows = hn::CappedTag<float, 16>;
using Row = hn::Vec<Rows>;
constexpr int kAbreast = static_cast<int>(hn::MaxLanes(Rows())) / 8;

HWY_INLINE Row LoadRows(const float* a, const float* b) {
  const Eight d;
#if HWY_MAX_BYTES >= 64
  return hn::Combine(Rows(), hn::LoadU(d, b), hn::LoadU(d, a));
#else
  (void)b;
  return hn::LoadU(d, a);
#endif
}

HWY_INLINE void StoreRows(const Row* HWY_RESTRICT v, float* a, float* b) {
  const Eight d;
  HWY_UNROLL(8)
  for (int i = 0; i < 8; ++i) {
#if HWY_MAX_BYTES >= 64
    hn::Store(hn::UpperHalf(d, v[i]), d, b + i * 8);
    hn::Store(hn::LowerHalf(d, v[i]), d, a + i * 8);
#else
    (void)b;
    hn::Store(v[i], d, a + i * 8);
#endif
  }
}

// rows[k * 8 + x]: function k at x. Even functions are made of sums of opposite samples, odd ones of differences.
HWY_INLINE void CosinesOfEight(const float* HWY_RESTRICT c, Row* HWY_RESTRICT v) {
  const auto f = [c](int k, int x) HWY_ATTR { return hn::Set(Rows(), c[k * 8 + x]); };
  Row sum[4], difference[4];
  HWY_UNROLL(4)
  for (int x = 0; x < 4; ++x) {
    sum[x] = hn::Add(v[x], v[7 - x]);
    difference[x] = hn::Sub(v[x], v[7 - x]);
  }
  const Row a0 = hn::Add(sum[0], sum[3]), a1 = hn::Add(sum[1], sum[2]), b0 = hn::Sub(sum[0], sum[3]),
            b1 = hn::Sub(sum[1], sum[2]);
  v[0] = hn::Mul(f(0, 0), hn::Add(a0, a1));
  v[4] = hn::Mul(f(4, 0), hn::Sub(a0, a1));
  v[2] = hn::MulAdd(f(2, 0), b0, hn::Mul(f(2, 1), b1));
  v[6] = hn::MulAdd(f(6, 0), b0, hn::Mul(f(6, 1), b1));
  HWY_UNROLL(4)
  for (int k = 1; k < 8; k += 2) {
    v[k] = hn::MulAdd(
        f(k, 3), difference[3],
        hn::MulAdd(f(k, 2), difference[2], hn::MulAdd(f(k, 1), difference[1], hn::Mul(f(k, 0), difference[0]))));
  }
}

// The samples of those numbers.
HWY_INLINE void SamplesOfEight(const float* HWY_RESTRICT c, Row* HWY_RESTRICT v) {
  const auto f = [c](int k, int x) HWY_ATTR { return hn::Set(Rows(), c[k * 8 + x]); };
  const Row a0 = hn::Mul(f(0, 0), v[0]), e0 = hn::MulAdd(f(4, 0), v[4], a0), e1 = hn::NegMulAdd(f(4, 0), v[4], a0);
  const Row b0 = hn::MulAdd(f(2, 0), v[2], hn::Mul(f(6, 0), v[6])),
            b1 = hn::MulAdd(f(2, 1), v[2], hn::Mul(f(6, 1), v[6]));
  const Row even[4] = {hn::Add(e0, b0), hn::Add(e1, b1), hn::Sub(e1, b1), hn::Sub(e0, b0)};
  Row odd[4];
  HWY_UNROLL(4)
  for (int x = 0; x < 4; ++x) {
    odd[x] = hn::MulAdd(f(7, x), v[7], hn::MulAdd(f(5, x), v[5], hn::MulAdd(f(3, x), v[3], hn::Mul(f(1, x), v[1]))));
  }
  HWY_UNROLL(4)
  for (int x = 0; x < 4; ++x) {
    v[x] = hn::Add(even[x], odd[x]);
    v[7 - x] = hn::Sub(even[x], odd[x]);
  }
}

// Four rows by four lanes of every half of a block.
HWY_INLINE void TurnFour(Row* HWY_RESTRICT v) {
  const Rows d;
  const hn::Repartition<double, Rows> dd;
  const auto low = [&](Row a, Row b) HWY_ATTR { return hn::BitCast(dd, hn::InterleaveLower(d, a, b)); };
  const auto high = [&](Row a, Row b) HWY_ATTR { return hn::BitCast(dd, hn::InterleaveUpper(d, a, b)); };
  const auto a = low(v[0], v[1]), b = low(v[2], v[3]), p = high(v[0], v[1]), q = high(v[2], v[3]);
  v[0] = hn::BitCast(d, hn::InterleaveLower(dd, a, b));
  v[1] = hn::BitCast(d, hn::InterleaveUpper(dd, a, b));
  v[2] = hn::BitCast(d, hn::InterleaveLower(dd, p, q));
  v[3] = hn::BitCast(d, hn::InterleaveUpper(dd, p, q));
}
// Rows for columns in each block.
HWY_INLINE void Turn(Row* HWY_RESTRICT v) {
  TurnFour(v);
  TurnFour(v + 4);
  HWY_UNROLL(4)
  for (int i = 0; i < 4; ++i) {
    const Row a = v[i], b = v[i + 4];
    v[i] = hn::OddEvenBlocks(hn::SwapAdjacentBlocks(b), a);
    v[i + 4] = hn::OddEvenBlocks(b, hn::SwapAdjacentBlocks(a));
  }
}

// Of one block at a, or of it and the one at b.
HWY_INLINE void ForwardOfEight(const BlockBasis& basis, const float* a, const float* b, std::ptrdiff_t stride,
                               float* to_a, float* to_b) {
  Row v[8];
  HWY_UNROLL(8)
  for (int y = 0; y < 8; ++y) v[y] = LoadRows(a + y * stride, b + y * stride);
  CosinesOfEight(basis.rows, v);
  Turn(v);
  CosinesOfEight(basis.rows, v);
  StoreRows(v, to_a, to_b);
}

HWY_INLINE void InverseOfEight(const BlockBasis& basis, float* a, float* b) {
  Row v[8];
  HWY_UNROLL(8)
  for (int x = 0; x < 8; ++x) v[x] = LoadRows(a + x * 8, b + x * 8);
  SamplesOfEight(basis.rows, v);
  Turn(v);
  SamplesOfEight(basis.rows, v);
  StoreRows(v, a, b);
}
#endif

// Blocks of any side: to[y] = sum over j of weight(y, j) * from[j], rows of `pitch` floats.
template <class Weight>
HWY_INLINE void Combine(const BlockBasis& b, const float* from, float* to, Weight weight) {
  const Eight d;
  const int N = static_cast<int>(hn::Lanes(d));
  for (int x = 0; x < b.pitch; x += N) {
    for (int y = 0; y < b.side; ++y) {
      auto sum = hn::Zero(d);
      for (int j = 0; j < b.side; ++j)
        sum = hn::MulAdd(hn::Set(d, weight(y, j)), hn::Load(d, from + j * b.pitch + x), sum);
      hn::Store(sum, d, to + y * b.pitch + x);
    }
  }
}

void BlocksForward(const BlockBasis& b, const float* plane, std::ptrdiff_t stride, const std::ptrdiff_t* places,
                   int count, std::size_t n, float* out) {
#if SIEVE_WHOLE_ROWS
  if (b.side == 8) {
    for (int i = 0; i < count; i += kAbreast) {
      const int j = std::min(count, i + kAbreast) - 1;
      ForwardOfEight(b, plane + places[i], plane + places[j], stride, out + static_cast<std::size_t>(i) * n,
                     out + static_cast<std::size_t>(j) * n);
    }
    return;
  }
#endif
  for (int i = 0; i < count; ++i, out += n) {
    const float* from = plane + places[i];
    alignas(64) float down[kMostBlock * kMostBlock];
    Combine(b, b.columns, down, [=](int x, int y) HWY_ATTR { return from[y * stride + x]; });
    Combine(b, down, out, [&](int k, int x) HWY_ATTR { return b.rows[k * b.pitch + x]; });
  }
}
void BlocksInverse(const BlockBasis& b, int count, std::size_t n, float* blocks) {
#if SIEVE_WHOLE_ROWS
  if (b.side == 8) {
    for (int i = 0; i < count; i += kAbreast) {
      const int j = std::min(count, i + kAbreast) - 1;
      InverseOfEight(b, blocks + static_cast<std::size_t>(i) * n, blocks + static_cast<std::size_t>(j) * n);
    }
    return;
  }
#endif
  for (int i = 0; i < count; ++i, blocks += n) {
    const float* block = blocks;
    alignas(64) float along[kMostBlock * kMostBlock];
    Combine(b, b.rows, along, [&](int y, int x) HWY_ATTR { return block[x * b.pitch + y]; });
    Combine(b, along, blocks, [&](int y, int k) HWY_ATTR { return b.columns[y * b.pitch + k]; });
  }
}

template <int kCount, class V>
HWY_INLINE void Hadamard(V* HWY_RESTRICT v) {
  if constexpr (kCount > 1) {
    HWY_UNROLL(16)
    for (int i = 0; i < kCount / 2; ++i) {
      const V a = v[i], b = v[i + kCount / 2];
      v[i] = hn::Add(a, b);
      v[i + kCount / 2] = hn::Sub(a, b);
    }
    Hadamard<kCount / 2>(v);
    Hadamard<kCount / 2>(v + kCount / 2);
  }
}

template <int kCount>
int ShrinkHard(float* HWY_RESTRICT stack, std::size_t n, const float* HWY_RESTRICT thresholds) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  // Not scaled on the way: the size of a number is larger by the root of the count.
  const auto larger = hn::Set(d, std::sqrt(static_cast<float>(kCount))), scale = hn::Set(d, 1.0F / kCount),
             one = hn::Set(d, 1.0F);
  auto kept = hn::Zero(d);
  for (std::size_t x = 0; x < n; x += N) {
    const auto least = hn::Mul(hn::Load(d, thresholds + x), larger);
    hn::Vec<decltype(d)> v[kCount];
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) v[i] = hn::Load(d, stack + static_cast<std::size_t>(i) * n + x);
    Hadamard<kCount>(v);
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) {
      auto large = hn::Gt(hn::Abs(v[i]), least);
      // The mean of all stays, however dark it is.
      if (x == 0 && i == 0) large = hn::Or(large, hn::FirstN(d, 1));
      v[i] = hn::IfThenElseZero(large, v[i]);
      kept = hn::Add(kept, hn::IfThenElseZero(large, one));
    }
    Hadamard<kCount>(v);
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) hn::Store(hn::Mul(v[i], scale), d, stack + static_cast<std::size_t>(i) * n + x);
  }
  return static_cast<int>(hn::GetLane(hn::SumOfLanes(d, kept)));
}

template <int kCount>
float ShrinkByGuide(float* HWY_RESTRICT stack, float* HWY_RESTRICT guide, std::size_t n,
                    const float* HWY_RESTRICT powers) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  const auto larger = hn::Set(d, static_cast<float>(kCount)), scale = hn::Set(d, 1.0F / kCount), one = hn::Set(d, 1.0F);
  auto squares = hn::Zero(d);
  for (std::size_t x = 0; x < n; x += N) {
    const auto noise = hn::Mul(hn::Load(d, powers + x), larger);
    hn::Vec<decltype(d)> v[kCount];
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) v[i] = hn::Load(d, guide + static_cast<std::size_t>(i) * n + x);
    Hadamard<kCount>(v);
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) {
      const auto b = hn::Mul(v[i], v[i]);
      auto w = hn::Div(b, hn::Add(b, noise));
      if (x == 0 && i == 0) w = hn::IfThenElse(hn::FirstN(d, 1), one, w);
      squares = hn::MulAdd(w, w, squares);
      hn::Store(w, d, guide + static_cast<std::size_t>(i) * n + x);
    }
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) v[i] = hn::Load(d, stack + static_cast<std::size_t>(i) * n + x);
    Hadamard<kCount>(v);
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) v[i] = hn::Mul(v[i], hn::Load(d, guide + static_cast<std::size_t>(i) * n + x));
    Hadamard<kCount>(v);
    HWY_UNROLL(32)
    for (int i = 0; i < kCount; ++i) hn::Store(hn::Mul(v[i], scale), d, stack + static_cast<std::size_t>(i) * n + x);
  }
  return hn::GetLane(hn::SumOfLanes(d, squares));
}

int ShrinkHardAny(float* stack, int count, std::size_t n, const float* thresholds) {
  switch (count) {
    case 1:
      return ShrinkHard<1>(stack, n, thresholds);
    case 2:
      return ShrinkHard<2>(stack, n, thresholds);
    case 4:
      return ShrinkHard<4>(stack, n, thresholds);
    case 8:
      return ShrinkHard<8>(stack, n, thresholds);
    case 16:
      return ShrinkHard<16>(stack, n, thresholds);
    default:
      return ShrinkHard<32>(stack, n, thresholds);
  }
}
float ShrinkByGuideAny(float* stack, float* guide, int count, std::size_t n, const float* powers) {
  switch (count) {
    case 1:
      return ShrinkByGuide<1>(stack, guide, n, powers);
    case 2:
      return ShrinkByGuide<2>(stack, guide, n, powers);
    case 4:
      return ShrinkByGuide<4>(stack, guide, n, powers);
    case 8:
      return ShrinkByGuide<8>(stack, guide, n, powers);
    case 16:
      return ShrinkByGuide<16>(stack, guide, n, powers);
    default:
      return ShrinkByGuide<32>(stack, guide, n, powers);
  }
}

void AddForm(float* HWY_RESTRICT blocks, int count, std::size_t n, const float* HWY_RESTRICT form,
             const float* HWY_RESTRICT levels) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  for (int i = 0; i < count; ++i, blocks += n) {
    blocks[0] += levels[i];
    for (std::size_t x = 0; x < n; x += N)
      hn::Store(hn::Add(hn::Load(d, blocks + x), hn::Load(d, form + x)), d, blocks + x);
  }
}

void AddBlocks(const float* HWY_RESTRICT blocks, int count, std::size_t n, const std::ptrdiff_t* places,
               const float* HWY_RESTRICT window, int side, int pitch, float weight, float* HWY_RESTRICT sums,
               float* HWY_RESTRICT weights, std::ptrdiff_t stride) {
  const Eight d;
  const int N = static_cast<int>(hn::Lanes(d));
  alignas(64) float weighted[kMostBlock * kMostBlock];
  for (int i = 0; i < side * pitch; i += N)
    hn::Store(hn::Mul(hn::Load(d, window + i), hn::Set(d, weight)), d, weighted + i);
  // What stands behind a row of the block has a window of 0.
  for (int i = 0; i < count; ++i, blocks += n) {
    for (int y = 0; y < side; ++y) {
      for (int x = 0; x < pitch; x += N) {
        const auto here = hn::Load(d, weighted + y * pitch + x);
        float *s = sums + places[i] + y * stride + x, *t = weights + places[i] + y * stride + x;
        hn::StoreU(hn::MulAdd(here, hn::Load(d, blocks + y * pitch + x), hn::LoadU(d, s)), d, s);
        hn::StoreU(hn::Add(here, hn::LoadU(d, t)), d, t);
      }
    }
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(BlocksForward);
HWY_EXPORT(BlocksInverse);
HWY_EXPORT(ShrinkHardAny);
HWY_EXPORT(ShrinkByGuideAny);
HWY_EXPORT(AddForm);
HWY_EXPORT(AddBlocks);

BlockBasis::BlockBasis(int side_of_blocks) : side(side_of_blocks), pitch(block_pitch(side)), rows{}, columns{} {
  for (int k = 0; k < side; ++k) {
    for (int x = 0; x < side; ++x) {
      const double v = std::sqrt((k == 0 ? 1.0 : 2.0) / side) * std::cos(std::numbers::pi * (x + 0.5) * k / side);
      rows[k * pitch + x] = columns[x * pitch + k] = static_cast<float>(v);
    }
  }
}

void blocks_forward(const BlockBasis& b, const float* plane, std::ptrdiff_t stride, const std::ptrdiff_t* places,
                    int count, std::size_t n, float* coefficients) {
  HWY_DYNAMIC_DISPATCH(BlocksForward)(b, plane, stride, places, count, n, coefficients);
}
void blocks_inverse(const BlockBasis& b, int count, std::size_t n, float* blocks) {
  HWY_DYNAMIC_DISPATCH(BlocksInverse)(b, count, n, blocks);
}
int shrink_hard(float* stack, int count, std::size_t n, const float* thresholds) {
  return HWY_DYNAMIC_DISPATCH(ShrinkHardAny)(stack, count, n, thresholds);
}
float shrink_by_guide(float* stack, float* guide, int count, std::size_t n, const float* powers) {
  return HWY_DYNAMIC_DISPATCH(ShrinkByGuideAny)(stack, guide, count, n, powers);
}
void add_form(float* blocks, int count, std::size_t n, const float* form, const float* levels) {
  HWY_DYNAMIC_DISPATCH(AddForm)(blocks, count, n, form, levels);
}
void add_blocks(const float* blocks, int count, std::size_t n, const std::ptrdiff_t* places, const float* window,
                int side, int pitch, float weight, float* sums, float* weights, std::ptrdiff_t stride) {
  HWY_DYNAMIC_DISPATCH(AddBlocks)(blocks, count, n, places, window, side, pitch, weight, sums, weights, stride);
}

}  // namespace sieve::internal::lanes
#endif
