#include "denoise/bilateral_grid_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/bilateral_grid_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void FindLevels(const float* row, const LevelScale& s, const std::int32_t* cells, std::int32_t nowhere,
                std::int32_t* index, float* share, std::size_t n) {
  EachVector(n, [=](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, row + x), zero = hn::Zero(d);
    const auto finite = hn::Eq(hn::Sub(v, v), zero);
    const auto place = hn::Mul(hn::IfThenElseZero(finite, hn::Sub(v, hn::Set(d, s.low))), hn::Set(d, s.per_step));
    const auto level = hn::Min(hn::Max(hn::ConvertTo(di, place), hn::Zero(di)), hn::Set(di, s.count - 2));
    const auto at = hn::Add(hn::LoadU(di, cells + x), hn::Add(level, level));
    hn::StoreU(hn::IfThenElse(hn::RebindMask(di, finite), at, hn::Set(di, nowhere)), di, index + x);
    hn::StoreU(hn::Min(hn::Max(hn::Sub(place, hn::ConvertTo(d, level)), zero), hn::Set(d, 1.0F)), d, share + x);
  });
}

void AddSamples(const float* row, const LevelScale& s, const std::int32_t* index, const float* share, float* parts,
                float* grid, std::size_t n) {
  EachVector(n, [=](auto d, std::size_t x) HWY_ATTR {
    const auto v = hn::Sub(hn::LoadU(d, row + x), hn::Set(d, s.middle)), upper = hn::LoadU(d, share + x),
               lower = hn::Sub(hn::Set(d, 1.0F), upper);
    const auto value = hn::IfThenElseZero(hn::Eq(hn::Sub(v, v), hn::Zero(d)), v);
    hn::StoreInterleaved4(lower, hn::Mul(lower, value), upper, hn::Mul(upper, value), d, parts + 4 * x);
  });
  for (std::size_t x = 0; x < n; ++x) {
    float* to = grid + index[x];
#if HWY_TARGET == HWY_SCALAR
    for (std::size_t i = 0; i < 4; ++i) to[i] += parts[4 * x + i];
#else
    const hn::FixedTag<float, 4> d;
    hn::StoreU(hn::Add(hn::LoadU(d, to), hn::LoadU(d, parts + 4 * x)), d, to);
#endif
  }
}

void BlurLevels(const float* in, std::size_t in_pitch, const float* taps, int radius, float* out, std::size_t out_pitch,
                std::size_t cells) {
  for (std::size_t i = 0; i < cells; ++i) {
    const float* from = in + i * in_pitch;
    float* to = out + i * out_pitch;
    EachVector(out_pitch, [=](auto d, std::size_t x) HWY_ATTR {
      auto sum = hn::Mul(hn::LoadU(d, from + x), hn::Set(d, taps[radius]));
      for (int k = 1; k <= radius; ++k)
        sum = hn::MulAdd(hn::Add(hn::LoadU(d, from + x - 2 * k), hn::LoadU(d, from + x + 2 * k)),
                         hn::Set(d, taps[radius + k]), sum);
      hn::StoreU(sum, d, to + x);
    });
  }
}

void ReadLevels(const float* row, const LevelScale& s, const float* grid, std::size_t pitch, const std::int32_t* index,
                const float* across, const float* share, float* pairs, float* out, std::size_t n) {
  for (std::size_t x = 0; x < n; ++x) {
    const float* at = grid + index[x];
#if HWY_TARGET == HWY_SCALAR
    for (std::size_t i = 0; i < 2; ++i) {
      const float lower = at[i] + across[x] * (at[i + pitch] - at[i]),
                  upper = at[i + 2] + across[x] * (at[i + 2 + pitch] - at[i + 2]);
      pairs[2 * x + i] = lower + share[x] * (upper - lower);
    }
#else
    const hn::FixedTag<float, 4> d;
    const auto left = hn::LoadU(d, at),
               both = hn::MulAdd(hn::Sub(hn::LoadU(d, at + pitch), left), hn::Set(d, across[x]), left);
    const auto pair = hn::MulAdd(hn::Sub(hn::Shuffle1032(both), both), hn::Set(d, share[x]), both);
    hn::StoreU(hn::LowerHalf(pair), hn::Half<decltype(d)>(), pairs + 2 * x);
#endif
  }
  EachVector(n, [=](auto d, std::size_t x) HWY_ATTR {
    hn::Vec<decltype(d)> weight, sum;
    hn::LoadInterleaved2(d, pairs + 2 * x, weight, sum);
    const auto v = hn::LoadU(d, row + x), mean = hn::Add(hn::Set(d, s.middle), hn::Div(sum, weight));
    hn::StoreU(hn::IfThenElse(hn::Eq(hn::Sub(v, v), hn::Zero(d)), mean, v), d, out + x);
  });
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(FindLevels);
HWY_EXPORT(AddSamples);
HWY_EXPORT(BlurLevels);
HWY_EXPORT(ReadLevels);

void find_levels(const float* row, const LevelScale& scale, const std::int32_t* cells, std::int32_t nowhere,
                 std::int32_t* index, float* share, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(FindLevels)(row, scale, cells, nowhere, index, share, n);
}
void add_samples(const float* row, const LevelScale& scale, const std::int32_t* index, const float* share, float* parts,
                 float* grid, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(AddSamples)(row, scale, index, share, parts, grid, n);
}
void blur_levels(const float* in, std::size_t in_pitch, const float* taps, int radius, float* out,
                 std::size_t out_pitch, std::size_t cells) {
  HWY_DYNAMIC_DISPATCH(BlurLevels)(in, in_pitch, taps, radius, out, out_pitch, cells);
}
void read_levels(const float* row, const LevelScale& scale, const float* grid, std::size_t pitch,
                 const std::int32_t* index, const float* across, const float* share, float* pairs, float* out,
                 std::size_t n) {
  HWY_DYNAMIC_DISPATCH(ReadLevels)(row, scale, grid, pitch, index, across, share, pairs, out, n);
}

}  // namespace sieve::internal::lanes
#endif
