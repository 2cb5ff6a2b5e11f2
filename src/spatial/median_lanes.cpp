#include "spatial/median_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spatial/median_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

#include <bit>
#include <cstring>
#include <limits>
#include <utility>

#include "spatial/selection_network.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <const network::Network& kNet, std::size_t kStep, class V>
HWY_INLINE void Step(V* v) {
  constexpr network::Comparator c = kNet.steps[kStep];
  const V a = v[c.low], b = v[c.high];
  if constexpr (c.keep_low) v[c.low] = hn::Min(a, b);
  if constexpr (c.keep_high) v[c.high] = hn::Max(a, b);
}

template <const network::Network& kNet, class V, std::size_t... kSteps>
HWY_INLINE void Run(V* v, std::index_sequence<kSteps...>) {
  (Step<kNet, kSteps>(v), ...);
}

template <int kSide>
struct Networks {
  static constexpr network::Sorter column = network::sorter(kSide), pair = network::merger(kSide);
  static constexpr network::Selector core =
      kSide == 5 ? network::selector({10, 10}, 7, 12) : network::selector({14, 14, 14}, 17, 24);
  static constexpr network::Selector last = network::selector({kSide + 1, kSide}, kSide, kSide);
  static constexpr network::Network column_net = column.net, pair_net = pair.net, core_net = core.net,
                                    last_net = last.net;
};

// A window and its right neighbor share all columns but one each: of the sorted samples of what they share, the core,
// only side + 1 can be the median of either. Columns are sorted once for all windows that hold them, and every other
// pair of neighbors is merged once for all cores that hold it.
template <int kSide>
void MedianRow(const float* const* rows, float* out, std::size_t n, float* scratch) {
  using All = Networks<kSide>;
  constexpr std::size_t side = kSide;
  // Whole vectors: the rows, the result and the scratch space have room behind.
  const std::size_t half = (n + 1) / 2, columns = half + side / 2 + 1,
                    stride = (columns + kMedianRoom) / kMedianRoom * kMedianRoom + kMedianRoom;
  float *const even = scratch, *const odd = even + side * stride, *const pairs = odd + side * stride;
  WholeVectors(columns, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[side], w[side];
    for (std::size_t i = 0; i < side; ++i) hn::LoadInterleaved2(d, rows[i] + 2 * x, v[i], w[i]);
    Run<All::column_net>(v, std::make_index_sequence<All::column_net.size>());
    Run<All::column_net>(w, std::make_index_sequence<All::column_net.size>());
    for (std::size_t i = 0; i < side; ++i) {
      hn::StoreU(v[All::column.order[static_cast<int>(i)]], d, even + i * stride + x);
      hn::StoreU(w[All::column.order[static_cast<int>(i)]], d, odd + i * stride + x);
    }
  });
  WholeVectors(columns - 1, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[2 * side];
    for (std::size_t i = 0; i < side; ++i) {
      v[i] = hn::LoadU(d, odd + i * stride + x);
      v[side + i] = hn::LoadU(d, even + i * stride + x + 1);
    }
    Run<All::pair_net>(v, std::make_index_sequence<All::pair_net.size>());
    for (std::size_t i = 0; i < 2 * side; ++i)
      hn::StoreU(v[All::pair.order[static_cast<int>(i)]], d, pairs + i * stride + x);
  });
  WholeVectors(half, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[side * (side - 1)], w[2 * side + 1];
    for (std::size_t p = 0; p < side / 2; ++p) {
      for (std::size_t i = 0; i < 2 * side; ++i) v[p * 2 * side + i] = hn::LoadU(d, pairs + i * stride + x + p);
    }
    Run<All::core_net>(v, std::make_index_sequence<All::core_net.size>());
    const auto with = [&](const float* column) HWY_ATTR {
      for (std::size_t i = 0; i <= side; ++i) w[i] = v[All::core.order[static_cast<int>(i)]];
      for (std::size_t i = 0; i < side; ++i) w[side + 1 + i] = hn::LoadU(d, column + i * stride);
      Run<All::last_net>(w, std::make_index_sequence<All::last_net.size>());
      return w[All::last.order[0]];
    };
    const auto left = with(even + x), right = with(odd + x + side / 2);
    hn::StoreInterleaved2(left, right, d, out + 2 * x);
  });
}

// For 3x3 the sorted columns are enough: the median lies between the largest of the lows, the middle of the middles and
// the smallest of the highs.
void MedianRow3(const float* const* rows, float* out, std::size_t n, float* scratch) {
  const std::size_t wide = n + 2, stride = (wide + kMedianRoom) / kMedianRoom * kMedianRoom + kMedianRoom;
  float *const low = scratch, *const middle = low + stride, *const high = middle + stride;
  const auto sort = [](auto& a, auto& b) HWY_ATTR {
    const auto least = hn::Min(a, b);
    b = hn::Max(a, b);
    a = least;
  };
  WholeVectors(wide, [&](auto d, std::size_t x) HWY_ATTR {
    auto a = hn::LoadU(d, rows[0] + x), b = hn::LoadU(d, rows[1] + x), c = hn::LoadU(d, rows[2] + x);
    sort(a, b);
    sort(b, c);
    sort(a, b);
    hn::StoreU(a, d, low + x);
    hn::StoreU(b, d, middle + x);
    hn::StoreU(c, d, high + x);
  });
  const auto median = [](auto a, auto b, auto c) HWY_ATTR { return hn::Max(hn::Min(a, b), hn::Min(hn::Max(a, b), c)); };
  WholeVectors(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto at = [&](const float* row, std::size_t i) HWY_ATTR { return hn::LoadU(d, row + x + i); };
    const auto lows = hn::Max(at(low, 0), hn::Max(at(low, 1), at(low, 2))),
               highs = hn::Min(at(high, 0), hn::Min(at(high, 1), at(high, 2)));
    hn::StoreU(median(lows, median(at(middle, 0), at(middle, 1), at(middle, 2)), highs), d, out + x);
  });
}

void SmallMedian(const float* const* rows, int side, float* out, std::size_t n, float* scratch) {
  side == 3   ? MedianRow3(rows, out, n, scratch)
  : side == 5 ? MedianRow<5>(rows, out, n, scratch)
              : MedianRow<7>(rows, out, n, scratch);
}

void ReplaceNan(float* samples, std::size_t n) {
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, samples + x);
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), hn::Set(d, std::numeric_limits<float>::infinity()), v), d, samples + x);
  });
}

// Where the bit of that number, from 0, stands.
HWY_INLINE std::uint32_t Place(std::uint64_t bits, std::uint32_t number) {
#if HWY_ARCH_X86_64 && HWY_TARGET <= HWY_AVX2
  return static_cast<std::uint32_t>(std::countr_zero(_pdep_u64(std::uint64_t{1} << number, bits)));
#else
  while (number-- > 0) bits &= bits - 1;
  return static_cast<std::uint32_t>(std::countr_zero(bits));
#endif
}

// How many of 16 counts can be taken off `left` one after another; without a branch, since that cannot be foreseen. All
// counts together stay below 65536: a window has at most 255 samples a side.
#if HWY_TARGET == HWY_SCALAR
HWY_INLINE std::size_t Steps(const std::uint16_t* counts, std::uint32_t& left) {
  std::uint32_t sum = 0, below = 0, steps = 0;
  for (std::size_t i = 0; i < 16; ++i) {
    sum += counts[i];
    const std::uint32_t still = sum <= left ? 1 : 0;
    steps += still;
    below = still != 0 ? sum : below;
  }
  left -= below;
  return steps;
}
#else
HWY_INLINE std::size_t Steps(const std::uint16_t* counts, std::uint32_t& left) {
  const hn::FixedTag<std::uint16_t, 8> d;
  const auto sums = [&](const std::uint16_t* from) HWY_ATTR {
    auto v = hn::LoadU(d, from);
    v = hn::Add(v, hn::ShiftLeftLanes<1>(d, v));
    v = hn::Add(v, hn::ShiftLeftLanes<2>(d, v));
    return hn::Add(v, hn::ShiftLeftLanes<4>(d, v));
  };
  const auto low = sums(counts), high = hn::Add(sums(counts + 8), hn::Broadcast<7>(low)),
             limit = hn::Set(d, static_cast<std::uint16_t>(left));
  HWY_ALIGN std::uint16_t below[17] = {};
  hn::StoreU(low, d, below + 1);
  hn::StoreU(high, d, below + 9);
  const std::size_t steps =
      hn::CountTrue(d, hn::Eq(hn::Min(low, limit), low)) + hn::CountTrue(d, hn::Eq(hn::Min(high, limit), high));
  left -= below[steps];
  return steps;
}
#endif

void RankRowOf(const RankRow& r, float* out, std::size_t n) {
  const hn::ScalableTag<std::uint16_t> d;
  const std::size_t N = hn::Lanes(d);
  HWY_ALIGN std::uint16_t window[kSlots] = {};
  const auto change = [&](const std::uint16_t* add, const std::uint16_t* take) HWY_ATTR {
    for (std::size_t g = 0; g < kSlots; g += N) {
      auto v = hn::Add(hn::LoadU(d, window + g), hn::LoadU(d, add + g));
      if (take != nullptr) v = hn::Sub(v, hn::LoadU(d, take + g));
      hn::StoreU(v, d, window + g);
    }
  };
  const auto column = [&](std::size_t x) { return r.columns + x * kSlots; };
  const auto side = static_cast<std::size_t>(r.side);
  for (std::size_t x = 0; x + 1 < side; ++x) change(column(x), nullptr);
  const auto limit = hn::Set(d, static_cast<std::uint16_t>(r.side - 1)),
             top = hn::Set(d, static_cast<std::uint16_t>(r.top));
  for (std::size_t x = 0; x < n; ++x) {
    change(column(x + side - 1), x > 0 ? column(x - 1) : nullptr);
    std::uint32_t left = r.rank;
    std::size_t group = Steps(window + kGroups, left) * (kGroups / kParts);
    group += Steps(window + group, left);
    // Within the group by place: its samples stand in rising order.
    const auto here = hn::Set(d, static_cast<std::uint16_t>(x));
    const std::uint32_t end = r.starts[group + 1];
    for (std::uint32_t i = r.starts[group]; i < end; i += static_cast<std::uint32_t>(N)) {
      const auto dx = hn::Sub(hn::LoadU(d, r.x + i), here), dy = hn::Sub(hn::LoadU(d, r.y + i), top);
      // Differences below 0 wrap to large numbers.
      const auto inside = hn::And(hn::Eq(hn::Min(dx, limit), dx), hn::Eq(hn::Min(dy, limit), dy));
      const auto count = static_cast<std::uint32_t>(hn::CountTrue(d, inside));
      if (left >= count) {
        left -= count;
        continue;
      }
      std::uint8_t bytes[8] = {};
      hn::StoreMaskBits(d, inside, bytes);
      std::uint64_t bits = 0;
      std::memcpy(&bits, bytes, sizeof bits);
      out[x] = r.values[i + Place(bits, left)];
      break;
    }
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(SmallMedian);
HWY_EXPORT(ReplaceNan);
HWY_EXPORT(RankRowOf);

void small_median(const float* const* rows, int side, float* out, std::size_t n, float* scratch) {
  HWY_DYNAMIC_DISPATCH(SmallMedian)(rows, side, out, n, scratch);
}
void replace_nan(float* samples, std::size_t n) { HWY_DYNAMIC_DISPATCH(ReplaceNan)(samples, n); }
void rank_row(const RankRow& r, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(RankRowOf)(r, out, n); }

}  // namespace sieve::internal::lanes
#endif
