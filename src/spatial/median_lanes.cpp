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
namespace sieve::lanes::HWY_NAMESPACE {
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
  static constexpr network::Sorter column = network::sorter(kSide);
  static constexpr network::Sorter pair = network::merger(kSide);
  static constexpr network::Network column_net = column.net, pair_net = pair.net;
  static constexpr network::Network median = network::median_of_pairs(kSide);
};

// Columns are sorted once for all windows that hold them, pairs of neighbors merged once for all windows they lead.
template <int kSide>
void MedianRow(const float* const* rows, float* out, std::size_t n, float* scratch) {
  using All = Networks<kSide>;
  constexpr std::size_t side = kSide;
  // Whole vectors: the rows and the scratch space have room behind.
  const std::size_t wide = (n + side - 1 + kMedianRoom - 1) / kMedianRoom * kMedianRoom, stride = wide + kMedianRoom;
  float *const columns = scratch, *const pairs = scratch + side * stride;
  EachVector(wide, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[side];
    for (std::size_t i = 0; i < side; ++i) v[i] = hn::LoadU(d, rows[i] + x);
    Run<All::column_net>(v, std::make_index_sequence<All::column_net.size>());
    for (std::size_t i = 0; i < side; ++i) hn::StoreU(v[All::column.order[static_cast<int>(i)]], d, columns + i * stride + x);
  });
  EachVector(wide, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[2 * side];
    for (std::size_t i = 0; i < side; ++i) {
      v[i] = hn::LoadU(d, columns + i * stride + x);
      v[side + i] = hn::LoadU(d, columns + i * stride + x + 1);
    }
    Run<All::pair_net>(v, std::make_index_sequence<All::pair_net.size>());
    for (std::size_t i = 0; i < 2 * side; ++i) hn::StoreU(v[All::pair.order[static_cast<int>(i)]], d, pairs + i * stride + x);
  });
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[side * side];
    for (std::size_t p = 0; p < side / 2; ++p) {
      for (std::size_t i = 0; i < 2 * side; ++i) v[p * 2 * side + i] = hn::LoadU(d, pairs + i * stride + x + 2 * p);
    }
    for (std::size_t i = 0; i < side; ++i) v[(side - 1) * side + i] = hn::LoadU(d, columns + i * stride + x + side - 1);
    Run<All::median>(v, std::make_index_sequence<All::median.size>());
    hn::StoreU(v[All::median.result], d, out + x);
  });
}

// For 3x3 the sorted columns are enough: the median lies between the largest of the lows, the middle of the middles and the
// smallest of the highs.
void MedianRow3(const float* const* rows, float* out, std::size_t n, float* scratch) {
  const std::size_t wide = (n + 2 + kMedianRoom - 1) / kMedianRoom * kMedianRoom, stride = wide + kMedianRoom;
  float *const low = scratch, *const middle = low + stride, *const high = middle + stride;
  const auto sort = [](auto& a, auto& b) HWY_ATTR {
    const auto least = hn::Min(a, b);
    b = hn::Max(a, b);
    a = least;
  };
  EachVector(wide, [&](auto d, std::size_t x) HWY_ATTR {
    auto a = hn::LoadU(d, rows[0] + x), b = hn::LoadU(d, rows[1] + x), c = hn::LoadU(d, rows[2] + x);
    sort(a, b);
    sort(b, c);
    sort(a, b);
    hn::StoreU(a, d, low + x);
    hn::StoreU(b, d, middle + x);
    hn::StoreU(c, d, high + x);
  });
  const auto median = [](auto a, auto b, auto c) HWY_ATTR { return hn::Max(hn::Min(a, b), hn::Min(hn::Max(a, b), c)); };
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto at = [&](const float* row, std::size_t i) HWY_ATTR { return hn::LoadU(d, row + x + i); };
    const auto lows = hn::Max(at(low, 0), hn::Max(at(low, 1), at(low, 2))), highs = hn::Min(at(high, 0), hn::Min(at(high, 1), at(high, 2)));
    hn::StoreU(median(lows, median(at(middle, 0), at(middle, 1), at(middle, 2)), highs), d, out + x);
  });
}

void SmallMedian(const float* const* rows, int side, float* out, std::size_t n, float* scratch) {
  side == 3 ? MedianRow3(rows, out, n, scratch) : side == 5 ? MedianRow<5>(rows, out, n, scratch) : MedianRow<7>(rows, out, n, scratch);
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
  const auto limit = hn::Set(d, static_cast<std::uint16_t>(r.side - 1)), top = hn::Set(d, static_cast<std::uint16_t>(r.top));
  for (std::size_t x = 0; x < n; ++x) {
    change(column(x + side - 1), x > 0 ? column(x - 1) : nullptr);
    std::uint32_t left = r.rank;
    std::size_t group = 0;
    // Both counts of steps without a branch: how far they go cannot be foreseen.
    const auto step = [&](const std::uint16_t* counts) {
      std::uint32_t sum = 0, below = 0, steps = 0;
      for (std::size_t i = 0; i < 16; ++i) {
        sum += counts[i];
        const std::uint32_t still = sum <= left ? 1 : 0;
        steps += still;
        below = still != 0 ? sum : below;
      }
      left -= below;
      return steps;
    };
    group = step(window + kGroups) * (kGroups / kParts);
    group += step(window + group);
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

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::lanes {

HWY_EXPORT(SmallMedian);
HWY_EXPORT(ReplaceNan);
HWY_EXPORT(RankRowOf);

void small_median(const float* const* rows, int side, float* out, std::size_t n, float* scratch) { HWY_DYNAMIC_DISPATCH(SmallMedian)(rows, side, out, n, scratch); }
void replace_nan(float* samples, std::size_t n) { HWY_DYNAMIC_DISPATCH(ReplaceNan)(samples, n); }
void rank_row(const RankRow& r, float* out, std::size_t n) { HWY_DYNAMIC_DISPATCH(RankRowOf)(r, out, n); }

}  // namespace sieve::lanes
#endif
