#include "denoise/search_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/search_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <algorithm>
#include <limits>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// Candidates in kAbreast rows, one vector of each: a sample that is loaded serves all rows of the block that meet it.
template <int kAbreast, int kSide>
HWY_INLINE void Abreast(const float* HWY_RESTRICT block, const float* HWY_RESTRICT first, std::ptrdiff_t stride,
                        float* HWY_RESTRICT out, int columns) {
  const hn::ScalableTag<float> d;
  hn::Vec<decltype(d)> sums[kAbreast];
  HWY_UNROLL(8)
  for (int i = 0; i < kAbreast; ++i) sums[i] = hn::Zero(d);
  for (int x = 0; x < kSide; ++x) {
    hn::Vec<decltype(d)> own[kSide];
    HWY_UNROLL(8)
    for (int y = 0; y < kSide; ++y) own[y] = hn::Set(d, block[y * stride + x]);
    HWY_UNROLL(16)
    for (int row = 0; row < kAbreast + kSide - 1; ++row) {
      const auto r = hn::LoadU(d, first + row * stride + x);
      HWY_UNROLL(8)
      for (int y = 0; y < kSide; ++y) {
        if (row < y || row - y >= kAbreast) continue;
        const auto difference = hn::Sub(r, own[y]);
        sums[row - y] = hn::MulAdd(difference, difference, sums[row - y]);
      }
    }
  }
  HWY_UNROLL(8)
  for (int i = 0; i < kAbreast; ++i) hn::Store(sums[i], d, out + i * columns);
}

template <int kSide>
HWY_INLINE void Window(const float* block, const float* first, std::ptrdiff_t stride, int rows, int columns,
                       float* out) {
  const int N = static_cast<int>(hn::Lanes(hn::ScalableTag<float>()));
  constexpr int kRows = 8;
  for (int x = 0; x < columns; x += N) {
    if (rows < kRows) {
      for (int y = 0; y < rows; ++y)
        Abreast<1, kSide>(block, first + y * stride + x, stride, out + y * columns + x, columns);
      continue;
    }
    // The last ones overlap those before.
    for (int next = 0; next < rows; next += kRows) {
      const int y = std::min(next, rows - kRows);
      Abreast<kRows, kSide>(block, first + y * stride + x, stride, out + y * columns + x, columns);
    }
  }
}

void WindowOfAnySide(const float* HWY_RESTRICT block, const float* HWY_RESTRICT first, std::ptrdiff_t stride, int side,
                     int rows, int columns, float* HWY_RESTRICT out) {
  const hn::ScalableTag<float> d;
  const int N = static_cast<int>(hn::Lanes(d));
  for (int row = 0; row < rows; ++row) {
    for (int at = 0; at < columns; at += N) {
      auto sum = hn::Zero(d);
      for (int x = 0; x < side; ++x) {
        for (int y = 0; y < side; ++y) {
          const auto difference =
              hn::Sub(hn::LoadU(d, first + (row + y) * stride + at + x), hn::Set(d, block[y * stride + x]));
          sum = hn::MulAdd(difference, difference, sum);
        }
      }
      hn::Store(sum, d, out + row * columns + at);
    }
  }
}

void WindowDistances(const float* block, const float* first, std::ptrdiff_t stride, int side, int rows, int columns,
                     float* out) {
  switch (side) {
    case 2:
      return Window<2>(block, first, stride, rows, columns, out);
    case 4:
      return Window<4>(block, first, stride, rows, columns, out);
    case 6:
      return Window<6>(block, first, stride, rows, columns, out);
    case 8:
      return Window<8>(block, first, stride, rows, columns, out);
    default:
      return WindowOfAnySide(block, first, stride, side, rows, columns, out);
  }
}

void AddTables(const float* const* terms, int count, std::size_t n, float* HWY_RESTRICT out) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  const float *a = terms[0], *b = terms[1];
  for (std::size_t x = 0; x < n; x += N) {
    auto sum = hn::Add(hn::Load(d, a + x), hn::Load(d, b + x));
    for (int i = 2; i < count; ++i) sum = hn::Add(sum, hn::Load(d, terms[i] + x));
    hn::Store(sum, d, out + x);
  }
}

int CountBelow(const float* HWY_RESTRICT v, int count, float limit) {
  const hn::ScalableTag<float> d;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto most = hn::Set(d, limit), one = hn::Set(d, 1.0F);
  auto sum = hn::Zero(d);
  for (int x = 0; x < count; x += N) sum = hn::Add(sum, hn::IfThenElseZero(hn::Lt(hn::Load(d, v + x), most), one));
  return static_cast<int>(hn::GetLane(hn::SumOfLanes(d, sum)));
}

// Those of `count` numbers from `least` on and below `limit`, by their places; stops at `most` of them.
HWY_INLINE int PlacesBetween(const float* HWY_RESTRICT v, int count, float least, float limit, int most,
                             int* HWY_RESTRICT places) {
  const hn::ScalableTag<float> d;
  const hn::RebindToSigned<decltype(d)> di;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto first = hn::Set(d, least), past = hn::Set(d, limit);
  int found = 0;
  for (int x = 0; x < count && found < most; x += N) {
    const auto here = hn::Load(d, v + x);
    const auto there = hn::And(hn::Ge(here, first), hn::Lt(here, past));
    if (hn::AllFalse(d, there)) continue;
    found += static_cast<int>(hn::CompressStore(hn::Iota(di, x), hn::RebindMask(di, there), di, places + found));
  }
  return found;
}

void CloseRows(float* HWY_RESTRICT distances, int rows, int columns, int used) {
  const hn::ScalableTag<float> d;
  const int N = static_cast<int>(hn::Lanes(d)), partly = used / N * N;
  const auto none = hn::Set(d, std::numeric_limits<float>::infinity());
  const auto some = hn::FirstN(d, static_cast<std::size_t>(used - partly));
  for (float* row = distances; row < distances + rows * columns; row += columns) {
    if (partly == columns) return;
    hn::Store(hn::IfThenElse(some, hn::Load(d, row + partly), none), d, row + partly);
    for (int x = partly + N; x < columns; x += N) hn::Store(none, d, row + x);
  }
}

void RoundDistances(float* HWY_RESTRICT distances, int count) {
  const hn::ScalableTag<float> d;
  const hn::RebindToSigned<decltype(d)> di;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto half = hn::Set(di, 0x400), kept_bits = hn::Set(di, ~0x7ff);
  for (int x = 0; x < count; x += N) {
    const auto bits = hn::BitCast(di, hn::Load(d, distances + x));
    hn::Store(hn::BitCast(d, hn::And(hn::Add(bits, half), kept_bits)), d, distances + x);
  }
}

void LevelDistances(const float* HWY_RESTRICT distances, int columns, int left, int first, int past,
                    const float* HWY_RESTRICT means, std::ptrdiff_t stride, float own, BlockSlope slope, float numbers,
                    float* HWY_RESTRICT level) {
  const hn::ScalableTag<float> d;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto mean = hn::Set(d, own), across = hn::Set(d, slope.across), two = hn::Set(d, 2.0F),
             all = hn::Set(d, numbers);
  for (int dy = first; dy < past; ++dy, distances += columns, level += columns, means += stride) {
    const auto on_row = hn::Set(d, slope.down * static_cast<float>(dy));
    for (int x = 0; x < columns; x += N) {
      const auto t = hn::MulAdd(across, hn::Iota(d, static_cast<float>(x + left)), on_row);
      const auto explained = hn::Mul(t, hn::MulAdd(two, hn::Sub(mean, hn::LoadU(d, means + x)), t));
      hn::Store(hn::MulAdd(all, explained, hn::Load(d, distances + x)), d, level + x);
    }
  }
}

int NearestPlaces(const float* HWY_RESTRICT distances, int count, int wanted, float limit, float* HWY_RESTRICT bound,
                  int* HWY_RESTRICT places) {
  // A bound that a few more than wanted are below, from the one of a neighbor on. Below `low` are too few.
  constexpr float kStep = 1.25F, kOneNumber = 1.0F / (1 << 14), kNothing = 1e-30F;
  float low = 0, high = limit, t = *bound > 0 ? std::min(*bound, limit) : limit, step = kStep;
  bool under = false, over = false;
  for (;;) {
    const int below = CountBelow(distances, count, t);
    if (below < wanted) {
      low = t;
      under = true;
      if (t == limit) break;
    } else {
      high = t;
      over = true;
      if (below <= wanted + wanted / 2) break;
    }
    if (over && (high - low <= high * kOneNumber || high < kNothing)) break;
    if (under && over) {
      t = 0.5F * (low + high);
    } else {
      t = over ? std::max(t / step, 0.5F * (low + high)) : std::min(t * step, limit);
      step *= kStep;
    }
  }
  *bound = high;
  const int nearer = PlacesBetween(distances, count, -1.0F, low, count, places);
  // What is between is either few, or all of one distance.
  return nearer + PlacesBetween(distances, count, low, high, 2 * wanted - nearer, places + nearer);
}

void OrderOf(const float* HWY_RESTRICT numbers, int count, int* HWY_RESTRICT ranks) {
  const hn::ScalableTag<float> d;
  const hn::RebindToSigned<decltype(d)> di;
  const int N = static_cast<int>(hn::Lanes(d));
  const auto one = hn::Set(d, 1.0F);
  for (int i = 0; i < count; i += N) {
    const auto own = hn::Load(d, numbers + i), place = hn::Iota(d, static_cast<float>(i));
    auto rank = hn::Zero(d);
    const int next = std::min(count, i + N);
    for (int j = 0; j < i; ++j) rank = hn::Add(rank, hn::IfThenElseZero(hn::Le(hn::Set(d, numbers[j]), own), one));
    for (int j = i; j < next; ++j) {
      const auto other = hn::Set(d, numbers[j]);
      const auto before = hn::And(hn::Eq(other, own), hn::Lt(hn::Set(d, static_cast<float>(j)), place));
      rank = hn::Add(rank, hn::IfThenElseZero(hn::Or(hn::Lt(other, own), before), one));
    }
    for (int j = next; j < count; ++j)
      rank = hn::Add(rank, hn::IfThenElseZero(hn::Lt(hn::Set(d, numbers[j]), own), one));
    hn::Store(hn::ConvertTo(di, rank), di, ranks + i);
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(WindowDistances);
HWY_EXPORT(AddTables);
HWY_EXPORT(CloseRows);
HWY_EXPORT(CountBelow);
HWY_EXPORT(RoundDistances);
HWY_EXPORT(LevelDistances);
HWY_EXPORT(NearestPlaces);
HWY_EXPORT(OrderOf);

void window_distances(const float* block, const float* first, std::ptrdiff_t stride, int side, int rows, int columns,
                      float* out) {
  HWY_DYNAMIC_DISPATCH(WindowDistances)(block, first, stride, side, rows, columns, out);
}
void add_tables(const float* const* terms, int count, std::size_t n, float* out) {
  HWY_DYNAMIC_DISPATCH(AddTables)(terms, count, n, out);
}
void close_rows(float* distances, int rows, int columns, int used) {
  HWY_DYNAMIC_DISPATCH(CloseRows)(distances, rows, columns, used);
}
int count_below(const float* distances, int count, float limit) {
  return HWY_DYNAMIC_DISPATCH(CountBelow)(distances, count, limit);
}
void round_distances(float* distances, int count) { HWY_DYNAMIC_DISPATCH(RoundDistances)(distances, count); }
void level_distances(const float* distances, int columns, int left, int first, int past, const float* means,
                     std::ptrdiff_t stride, float own, BlockSlope slope, float numbers, float* level) {
  HWY_DYNAMIC_DISPATCH(LevelDistances)
  (distances, columns, left, first, past, means, stride, own, slope, numbers, level);
}
int nearest_places(const float* distances, int count, int wanted, float limit, float& bound, int* places) {
  return HWY_DYNAMIC_DISPATCH(NearestPlaces)(distances, count, wanted, limit, &bound, places);
}
void order_of(const float* numbers, int count, int* ranks) { HWY_DYNAMIC_DISPATCH(OrderOf)(numbers, count, ranks); }

}  // namespace sieve::internal::lanes
#endif
