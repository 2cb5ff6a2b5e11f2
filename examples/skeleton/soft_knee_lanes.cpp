// Highway compiles everything up to HWY_ONCE once for each instruction set: foreach_target.h includes this file again
// for every one of them, and HWY_NAMESPACE is another name each time.
#include "soft_knee_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "soft_knee_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace skeleton::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// One vector; D is the type of the lanes, one lane or as many as the processor has.
template <class D, class V>
HWY_INLINE V Knee(D d, V v, float knee) {
  const auto one = hn::Set(d, 1.0F), room = hn::Set(d, (1 - knee) * (1 - knee)), shift = hn::Set(d, 1 - 2 * knee);
  const auto bent = hn::Sub(one, hn::Div(room, hn::Add(v, shift)));
  // A selection and not a maximum: NaN compares false and stays what it is.
  return hn::IfThenElse(hn::Gt(v, hn::Set(d, knee)), bent, v);
}

void Row(const float* in, float knee, float* out, std::size_t n) {
  const hn::ScalableTag<float> d;
  const std::size_t lanes = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + lanes <= n; x += lanes) hn::StoreU(Knee(d, hn::LoadU(d, in + x), knee), d, out + x);
  // What is left, one lane at a time with the same arithmetic: the result does not depend on where vectors begin.
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) hn::StoreU(Knee(one, hn::LoadU(one, in + x), knee), one, out + x);
}

}  // namespace skeleton::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace skeleton {

HWY_EXPORT(Row);

void soft_knee_row(const float* in, float knee, float* out, std::size_t n) {
  HWY_DYNAMIC_DISPATCH(Row)(in, knee, out, n);
}

}  // namespace skeleton
#endif
