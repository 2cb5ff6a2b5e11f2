#include "denoise/guided_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "denoise/guided_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

#include "core/lane_loops-inl.hpp"

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

void FitLines(const LineMeans& m, float eps, float* slope, float* offset, std::size_t n) {
  EachVector(n, [=](auto d, std::size_t x) HWY_ATTR {
    const auto g = hn::LoadU(d, m.g + x), p = hn::LoadU(d, m.p + x),
               variance = hn::NegMulAdd(g, g, hn::LoadU(d, m.gg + x));
    // Not Max(0, .): that could take NaN for 0.
    const auto least = hn::IfThenZeroElse(hn::Lt(variance, hn::Zero(d)), variance);
    const auto k = hn::Div(hn::NegMulAdd(g, p, hn::LoadU(d, m.gp + x)), hn::Add(least, hn::Set(d, eps)));
    hn::StoreU(k, d, slope + x);
    hn::StoreU(hn::NegMulAdd(k, g, p), d, offset + x);
  });
}

void FollowLines(const float* slope, const float* offset, const float* g, float* out, std::size_t n) {
  EachVector(n, [=](auto d, std::size_t x) HWY_ATTR {
    hn::StoreU(hn::MulAdd(hn::LoadU(d, slope + x), hn::LoadU(d, g + x), hn::LoadU(d, offset + x)), d, out + x);
  });
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(FitLines);
HWY_EXPORT(FollowLines);

void fit_lines(const LineMeans& means, float eps, float* slope, float* offset, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(FitLines)(means, eps, slope, offset, n);
}
void follow_lines(const float* slope, const float* offset, const float* g, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(FollowLines)(slope, offset, g, out, n);
}

}  // namespace sieve::internal::lanes
#endif
