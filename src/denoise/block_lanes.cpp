#include "denoise/block_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/block_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cmath>
#include <numbers>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// `kVectors` neighboring vectors of candidates at once: a sample of the block that is loaded serves them all.
template <int kVectors, int kSide>
HWY_INLINE void Distances(const float* HWY_RESTRICT block, const float* HWY_RESTRICT row, std::ptrdiff_t stride,
                          int given_side, float* HWY_RESTRICT out) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  const int side = kSide > 0 ? kSide : given_side;
  auto s0 = hn::Zero(d), s1 = s0, s2 = s0, s3 = s0;
  for (int y = 0; y < side; ++y) {
    const float *b = block + y * stride, *r = row + y * stride;
    for (int x = 0; x < side; ++x) {
      const auto v = hn::Set(d, b[x]);
      const auto a0 = hn::Sub(hn::LoadU(d, r + x), v);
      s0 = hn::MulAdd(a0, a0, s0);
      if constexpr (kVectors > 1) {
        const auto a1 = hn::Sub(hn::LoadU(d, r + x + N), v);
        s1 = hn::MulAdd(a1, a1, s1);
      }
      if constexpr (kVectors > 2) {
        const auto a2 = hn::Sub(hn::LoadU(d, r + x + 2 * N), v);
        s2 = hn::MulAdd(a2, a2, s2);
      }
      if constexpr (kVectors > 3) {
        const auto a3 = hn::Sub(hn::LoadU(d, r + x + 3 * N), v);
        s3 = hn::MulAdd(a3, a3, s3);
      }
    }
  }
  hn::StoreU(s0, d, out);
  if constexpr (kVectors > 1) hn::StoreU(s1, d, out + N);
  if constexpr (kVectors > 2) hn::StoreU(s2, d, out + 2 * N);
  if constexpr (kVectors > 3) hn::StoreU(s3, d, out + 3 * N);
}

template <int kSide>
HWY_INLINE void RowOfDistances(const float* block, const float* row, std::ptrdiff_t stride, int side, int count,
                               float* out) {
  const int N = static_cast<int>(hn::Lanes(hn::ScalableTag<float>()));
  int x = 0;
  for (; count - x > 3 * N; x += 4 * N) Distances<4, kSide>(block, row + x, stride, side, out + x);
  if (count - x > 2 * N) {
    Distances<3, kSide>(block, row + x, stride, side, out + x);
  } else if (count - x > N) {
    Distances<2, kSide>(block, row + x, stride, side, out + x);
  } else if (count - x > 0) {
    Distances<1, kSide>(block, row + x, stride, side, out + x);
  }
}

void BlockDistances(const float* block, const float* row, std::ptrdiff_t stride, int side, int count, float* out) {
  if (side == 8) return RowOfDistances<8>(block, row, stride, side, count, out);
  RowOfDistances<0>(block, row, stride, side, count, out);
}

// How many of `count` numbers (whole vectors) are below `limit`.
HWY_INLINE int CountBelow(const float* HWY_RESTRICT v, int count, float limit) {
  const hn::ScalableTag<float> d;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto most = hn::Set(d, limit), one = hn::Set(d, 1.0F);
  auto sum = hn::Zero(d);
  for (int x = 0; x < count; x += N) sum = hn::Add(sum, hn::IfThenElseZero(hn::Lt(hn::Load(d, v + x), most), one));
  return static_cast<int>(hn::GetLane(hn::SumOfLanes(d, sum)));
}

Nearest NearestPlaces(const float* HWY_RESTRICT distances, int count, int wanted, float alike, float limit,
                      int* HWY_RESTRICT places) {
  const hn::ScalableTag<float> d;
  const hn::RebindToSigned<decltype(d)> di;
  const int N = static_cast<int>(hn::Lanes(d));
  // A bound that a few more than wanted are below; alike distances may leave many more.
  float low = alike, high = limit;
  const bool many = CountBelow(distances, count, alike) >= wanted;
  if (many) {
    high = alike;
  } else if (CountBelow(distances, count, limit) > wanted) {
    for (int i = 0; i < 24; ++i) {
      const float middle = 0.5F * (low + high);
      const int below = CountBelow(distances, count, middle);
      (below < wanted ? low : high) = middle;
      if (below >= wanted && below <= wanted + wanted / 2) break;
    }
  }
  const auto most = hn::Set(d, high);
  int found = 0;
  for (int x = 0; x < count; x += N) {
    const auto below = hn::Lt(hn::Load(d, distances + x), most);
    if (hn::AllFalse(d, below)) continue;
    found += static_cast<int>(hn::CompressStore(hn::Iota(di, x), hn::RebindMask(di, below), di, places + found));
  }
  return {found, many};
}

// Vectors of at most eight lanes: a row of a block of 8.
using Eight = hn::CappedTag<float, 8>;

// The sum of eight vectors, each times a number.
HWY_INLINE hn::Vec<Eight> WeightedSum(const float* HWY_RESTRICT x, const hn::Vec<Eight>* HWY_RESTRICT v) {
  const Eight d;
  const auto low = hn::MulAdd(
      hn::Set(d, x[3]), v[3],
      hn::MulAdd(hn::Set(d, x[2]), v[2], hn::MulAdd(hn::Set(d, x[1]), v[1], hn::Mul(hn::Set(d, x[0]), v[0]))));
  const auto high = hn::MulAdd(
      hn::Set(d, x[7]), v[7],
      hn::MulAdd(hn::Set(d, x[6]), v[6], hn::MulAdd(hn::Set(d, x[5]), v[5], hn::Mul(hn::Set(d, x[4]), v[4]))));
  return hn::Add(low, high);
}

// Blocks of 8: one row in one vector (or two), all of it in registers. Even and odd functions of the second direction
// are made of sums and differences.
void ForwardOfEight(const BlockBasis& b, const float* from, std::ptrdiff_t stride, float* out) {
  const Eight d;
  const std::size_t N = hn::Lanes(d);
  const float* c = b.rows;
  for (std::size_t part = 0; part < 8; part += N) {
    hn::Vec<Eight> function[8], r[8];
    HWY_UNROLL(8)
    for (int j = 0; j < 8; ++j) function[j] = hn::Load(d, b.columns + j * 8 + part);
    HWY_UNROLL(8)
    for (int y = 0; y < 8; ++y) r[y] = WeightedSum(from + y * stride, function);
    HWY_UNROLL(4)
    for (int y = 0; y < 4; ++y) {
      const auto sum = hn::Add(r[y], r[7 - y]);
      r[7 - y] = hn::Sub(r[y], r[7 - y]);
      r[y] = sum;
    }
    HWY_UNROLL(8)
    for (int k = 0; k < 8; ++k) {
      const auto at = [&](int y) HWY_ATTR { return k % 2 == 0 ? r[y] : r[7 - y]; };
      const auto sum =
          hn::MulAdd(hn::Set(d, c[k * 8 + 3]), at(3),
                     hn::MulAdd(hn::Set(d, c[k * 8 + 2]), at(2),
                                hn::MulAdd(hn::Set(d, c[k * 8 + 1]), at(1), hn::Mul(hn::Set(d, c[k * 8]), at(0)))));
      hn::Store(sum, d, out + k * 8 + part);
    }
  }
}

void InverseOfEight(const BlockBasis& b, float* block) {
  const Eight d;
  const std::size_t N = hn::Lanes(d);
  const float* c = b.rows;
  alignas(64) float down[64];
  for (std::size_t part = 0; part < 8; part += N) {
    hn::Vec<Eight> q[8];
    HWY_UNROLL(8)
    for (int k = 0; k < 8; ++k) q[k] = hn::Load(d, block + k * 8 + part);
    HWY_UNROLL(4)
    for (int y = 0; y < 4; ++y) {
      const auto even =
          hn::MulAdd(hn::Set(d, c[6 * 8 + y]), q[6],
                     hn::MulAdd(hn::Set(d, c[4 * 8 + y]), q[4],
                                hn::MulAdd(hn::Set(d, c[2 * 8 + y]), q[2], hn::Mul(hn::Set(d, c[y]), q[0]))));
      const auto odd =
          hn::MulAdd(hn::Set(d, c[7 * 8 + y]), q[7],
                     hn::MulAdd(hn::Set(d, c[5 * 8 + y]), q[5],
                                hn::MulAdd(hn::Set(d, c[3 * 8 + y]), q[3], hn::Mul(hn::Set(d, c[8 + y]), q[1]))));
      hn::Store(hn::Add(even, odd), d, down + y * 8 + part);
      hn::Store(hn::Sub(even, odd), d, down + (7 - y) * 8 + part);
    }
  }
  for (std::size_t part = 0; part < 8; part += N) {
    hn::Vec<Eight> function[8];
    HWY_UNROLL(8)
    for (int k = 0; k < 8; ++k) function[k] = hn::Load(d, c + k * 8 + part);
    HWY_UNROLL(8)
    for (int y = 0; y < 8; ++y) hn::Store(WeightedSum(down + y * 8, function), d, block + y * 8 + part);
  }
}

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

void BlockForward(const BlockBasis& b, const float* from, std::ptrdiff_t stride, float* out) {
  if (b.side == 8) return ForwardOfEight(b, from, stride, out);
  alignas(64) float along[kMostBlock * kMostBlock];
  Combine(b, b.columns, along, [=](int y, int j) HWY_ATTR { return from[y * stride + j]; });
  Combine(b, along, out, [&](int k, int y) HWY_ATTR { return b.rows[k * b.pitch + y]; });
}
void BlockInverse(const BlockBasis& b, float* block) {
  if (b.side == 8) return InverseOfEight(b, block);
  alignas(64) float down[kMostBlock * kMostBlock];
  Combine(b, block, down, [&](int y, int k) HWY_ATTR { return b.columns[y * b.pitch + k]; });
  Combine(b, b.rows, block, [&](int y, int k) HWY_ATTR { return down[y * b.pitch + k]; });
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

void AddBlock(const float* HWY_RESTRICT block, const float* HWY_RESTRICT window, int side, int pitch, float weight,
              float* HWY_RESTRICT sums, float* HWY_RESTRICT weights, std::ptrdiff_t stride) {
  const Eight d;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto w = hn::Set(d, weight);
  // What stands behind a row of the block has a window of 0.
  for (int y = 0; y < side; ++y) {
    for (int x = 0; x < pitch; x += N) {
      const auto here = hn::Mul(hn::Load(d, window + y * pitch + x), w);
      float *s = sums + y * stride + x, *t = weights + y * stride + x;
      hn::StoreU(hn::MulAdd(here, hn::Load(d, block + y * pitch + x), hn::LoadU(d, s)), d, s);
      hn::StoreU(hn::Add(here, hn::LoadU(d, t)), d, t);
    }
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(BlockDistances);
HWY_EXPORT(NearestPlaces);
HWY_EXPORT(BlockForward);
HWY_EXPORT(BlockInverse);
HWY_EXPORT(ShrinkHardAny);
HWY_EXPORT(ShrinkByGuideAny);
HWY_EXPORT(AddBlock);

BlockBasis::BlockBasis(int side_of_blocks) : side(side_of_blocks), pitch(block_pitch(side)), rows{}, columns{} {
  for (int k = 0; k < side; ++k) {
    for (int x = 0; x < side; ++x) {
      const double v = std::sqrt((k == 0 ? 1.0 : 2.0) / side) * std::cos(std::numbers::pi * (x + 0.5) * k / side);
      rows[k * pitch + x] = columns[x * pitch + k] = static_cast<float>(v);
    }
  }
}

void block_distances(const float* block, const float* row, std::ptrdiff_t stride, int side, int count, float* out) {
  HWY_DYNAMIC_DISPATCH(BlockDistances)(block, row, stride, side, count, out);
}
Nearest nearest_places(const float* distances, int count, int wanted, float alike, float limit, int* places) {
  return HWY_DYNAMIC_DISPATCH(NearestPlaces)(distances, count, wanted, alike, limit, places);
}
void block_forward(const BlockBasis& b, const float* from, std::ptrdiff_t stride, float* coefficients) {
  HWY_DYNAMIC_DISPATCH(BlockForward)(b, from, stride, coefficients);
}
void block_inverse(const BlockBasis& b, float* block) { HWY_DYNAMIC_DISPATCH(BlockInverse)(b, block); }
int shrink_hard(float* stack, int count, std::size_t n, const float* thresholds) {
  return HWY_DYNAMIC_DISPATCH(ShrinkHardAny)(stack, count, n, thresholds);
}
float shrink_by_guide(float* stack, float* guide, int count, std::size_t n, const float* powers) {
  return HWY_DYNAMIC_DISPATCH(ShrinkByGuideAny)(stack, guide, count, n, powers);
}
void add_block(const float* block, const float* window, int side, int pitch, float weight, float* sums, float* weights,
               std::ptrdiff_t stride) {
  HWY_DYNAMIC_DISPATCH(AddBlock)(block, window, side, pitch, weight, sums, weights, stride);
}

}  // namespace sieve::internal::lanes
#endif
