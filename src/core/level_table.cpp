#include "core/level_table.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "core/level_table.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include <cstdint>

#include "core/lane_loops-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// level / top to the last bit, by its product with 1 / top and one correction: a division takes several times as long.
template <class D, class V>
HWY_INLINE V Divided(D d, V level, float top, float inverse) {
  const auto near = hn::Mul(level, hn::Set(d, inverse));
  return hn::MulAdd(hn::NegMulAdd(near, hn::Set(d, top), level), hn::Set(d, inverse), near);
}

// True where that holds for all levels up to the top.
bool Divides(const float* levels, float top, std::size_t n) {
  bool all = true;
  float at = 0;
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const auto level = hn::Add(hn::Iota(d, 0), hn::Set(d, at));
    at += static_cast<float>(hn::Lanes(d));
    all = hn::AllTrue(d, hn::Eq(Divided(d, level, top, 1 / top), hn::LoadU(d, levels + x))) && all;
  });
  return all;
}

// Bits are compared: the table's result for 0 is none for -0.
bool LookUp(const float* in, float top, const float* results, float* out, std::size_t n) {
  bool all = true;
  EachVector(n, [&](auto d, std::size_t x) HWY_ATTR {
    const hn::RebindToSigned<decltype(d)> di;
    const auto v = hn::LoadU(d, in + x);
    // NaN reads level 0.
    const auto level = hn::NearestInt(hn::Min(hn::Max(hn::Mul(v, hn::Set(d, top)), hn::Zero(d)), hn::Set(d, top)));
    const auto exact = Divided(d, hn::ConvertTo(d, level), top, 1 / top);
    all = hn::AllTrue(di, hn::Eq(hn::BitCast(di, v), hn::BitCast(di, exact))) && all;
    // Whatever v is, the level lies in the table.
    hn::StoreU(hn::GatherIndex(d, results, hn::Max(level, hn::Zero(di))), d, out + x);
  });
  return all;
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal {

namespace lanes {
HWY_EXPORT(LookUp);
HWY_EXPORT(Divides);
static bool look_up(const float* in, float top, const float* results, float* out, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(LookUp)(in, top, results, out, n);
}
static bool divides(const float* levels, float top, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(Divides)(levels, top, n);
}
}  // namespace lanes

LevelTable::LevelTable(std::uint32_t white_level, FunctionRef<void(const float*, float*, std::size_t)> curve)
    : white_level_(static_cast<float>(white_level)), levels_(white_level + std::size_t{1}), results_(levels_.size()) {
  // As a reader has it: the nearest float of v / white_level.
  for (std::size_t i = 0; i < levels_.size(); ++i) levels_[i] = static_cast<float>(i) / white_level_;
  curve(levels_.data(), results_.data(), levels_.size());
  usable_ = lanes::divides(levels_.data(), white_level_, levels_.size());
}

bool LevelTable::operator()(const float* in, float* out, std::size_t n) const {
  return usable_ && lanes::look_up(in, white_level_, results_.data(), out, n);
}

}  // namespace sieve::internal
#endif
