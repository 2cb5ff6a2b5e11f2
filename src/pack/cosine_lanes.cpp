#include "pack/cosine_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "pack/cosine_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// A row of a block, or a part of one.
using D = hn::CappedTag<float, 8>;

void QuantizeBlocks(const float* const* rows, const float* per, std::int16_t* out, std::uint64_t* some,
                    std::size_t blocks) {
  const D d;
  const hn::RebindToSigned<D> di;
  const hn::Rebind<std::int16_t, D> d16;
  const std::size_t N = hn::Lanes(d);
  const auto round = hn::Set(d, 0.34F), most = hn::Set(d, 32767.0F);
  for (std::size_t b = 0; b < blocks; ++b) {
    std::uint64_t mask = 0;
    for (std::size_t i = 0; i < 64; i += N) {
      const auto f = hn::Mul(hn::LoadU(d, rows[i / 8] + 8 * b + i % 8), hn::LoadU(d, per + i));
      const auto m = hn::ConvertTo(di, hn::Min(hn::Add(hn::Abs(f), round), most));
      const auto q = hn::IfThenElse(hn::RebindMask(di, hn::Lt(f, hn::Zero(d))), hn::Neg(m), m);
      hn::StoreU(hn::DemoteTo(d16, q), d16, out + 64 * b + i);
      std::uint8_t bits[8] = {};
      hn::StoreMaskBits(di, hn::Ne(m, hn::Zero(di)), bits);
      mask |= static_cast<std::uint64_t>(bits[0]) << i;
    }
    some[b] = mask;
  }
}

void RestoreBlocks(const std::int16_t* in, const float* step, float* const* rows, std::size_t blocks) {
  const D d;
  const hn::RebindToSigned<D> di;
  const hn::Rebind<std::int16_t, D> d16;
  const std::size_t N = hn::Lanes(d);
  for (std::size_t b = 0; b < blocks; ++b) {
    for (std::size_t i = 0; i < 64; i += N) {
      const auto m = hn::ConvertTo(d, hn::PromoteTo(di, hn::LoadU(d16, in + 64 * b + i)));
      const auto pull = hn::IfThenElseZero(hn::Ne(m, hn::Zero(d)), hn::CopySign(hn::Set(d, 0.06F), m));
      hn::StoreU(hn::Mul(hn::Sub(m, pull), hn::LoadU(d, step + i)), d, rows[i / 8] + 8 * b + i % 8);
    }
    rows[0][8 * b] = static_cast<float>(in[64 * b]) * step[0];
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(QuantizeBlocks);
HWY_EXPORT(RestoreBlocks);

void quantize_blocks(const float* const* rows, const float* per, std::int16_t* out, std::uint64_t* some,
                     std::size_t blocks) {
  HWY_DYNAMIC_DISPATCH(QuantizeBlocks)(rows, per, out, some, blocks);
}
void restore_blocks(const std::int16_t* in, const float* step, float* const* rows, std::size_t blocks) {
  HWY_DYNAMIC_DISPATCH(RestoreBlocks)(in, step, rows, blocks);
}

}  // namespace sieve::internal::lanes
#endif
