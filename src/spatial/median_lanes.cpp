#include "spatial/median_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "spatial/median_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <bit>
#include <cstring>
#include <limits>
#include <utility>

#include "spatial/selection_network.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

template <class F>
HWY_INLINE void EachLane(std::size_t n, F body) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) body(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) body(one, x);
}

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
  const std::size_t wide = n + side - 1, stride = n + side;
  float *const columns = scratch, *const pairs = scratch + side * stride;
  EachLane(wide, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[side];
    for (std::size_t i = 0; i < side; ++i) v[i] = hn::LoadU(d, rows[i] + x);
    Run<All::column_net>(v, std::make_index_sequence<All::column_net.size>());
    for (std::size_t i = 0; i < side; ++i) hn::StoreU(v[All::column.order[static_cast<int>(i)]], d, columns + i * stride + x);
  });
  EachLane(wide - 1, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[2 * side];
    for (std::size_t i = 0; i < side; ++i) {
      v[i] = hn::LoadU(d, columns + i * stride + x);
      v[side + i] = hn::LoadU(d, columns + i * stride + x + 1);
    }
    Run<All::pair_net>(v, std::make_index_sequence<All::pair_net.size>());
    for (std::size_t i = 0; i < 2 * side; ++i) hn::StoreU(v[All::pair.order[static_cast<int>(i)]], d, pairs + i * stride + x);
  });
  EachLane(n, [&](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> v[side * side];
    for (std::size_t p = 0; p < side / 2; ++p) {
      for (std::size_t i = 0; i < 2 * side; ++i) v[p * 2 * side + i] = hn::LoadU(d, pairs + i * stride + x + 2 * p);
    }
    for (std::size_t i = 0; i < side; ++i) v[(side - 1) * side + i] = hn::LoadU(d, columns + i * stride + x + side - 1);
    Run<All::median>(v, std::make_index_sequence<All::median.size>());
    hn::StoreU(v[All::median.result], d, out + x);
  });
}

void SmallMedian(const float* const* rows, int side, float* out, std::size_t n, float* scratch) {
  side == 3 ? MedianRow<3>(rows, out, n, scratch) : side == 5 ? MedianRow<5>(rows, out, n, scratch) : MedianRow<7>(rows, out, n, scratch);
}

void ReplaceNan(float* samples, std::size_t n) {
  EachLane(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::LoadU(d, samples + x);
    hn::StoreU(hn::IfThenElse(hn::IsNaN(v), hn::Set(d, std::numeric_limits<float>::infinity()), v), d, samples + x);
  });
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
    for (std::size_t part = kGroups; left >= window[part]; ++part) {
      left -= window[part];
      group += kGroups / kParts;
    }
    while (left >= window[group]) left -= window[group++];
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
      while (left-- > 0) bits &= bits - 1;
      out[x] = r.values[i + static_cast<std::uint32_t>(std::countr_zero(bits))];
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
