#include "multiply_add.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "multiply_add.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace sieve::bench::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

double MultiplyAdds(std::size_t turns, float& result) {
  const hn::ScalableTag<float> d;
  const auto factor = hn::Set(d, 0.999999F), term = hn::Set(d, result);
  auto a = term, b = term, c = term, e = term, f = term, g = term, h = term, i = term, j = term, k = term, l = term,
       m = term;
  for (std::size_t t = 0; t < turns; ++t) {
    a = hn::MulAdd(a, factor, term);
    b = hn::MulAdd(b, factor, term);
    c = hn::MulAdd(c, factor, term);
    e = hn::MulAdd(e, factor, term);
    f = hn::MulAdd(f, factor, term);
    g = hn::MulAdd(g, factor, term);
    h = hn::MulAdd(h, factor, term);
    i = hn::MulAdd(i, factor, term);
    j = hn::MulAdd(j, factor, term);
    k = hn::MulAdd(k, factor, term);
    l = hn::MulAdd(l, factor, term);
    m = hn::MulAdd(m, factor, term);
  }
  const auto sum = hn::Add(hn::Add(hn::Add(a, b), hn::Add(c, e)),
                           hn::Add(hn::Add(hn::Add(f, g), hn::Add(h, i)), hn::Add(hn::Add(j, k), hn::Add(l, m))));
  result = hn::GetLane(hn::SumOfLanes(d, sum));
  return 12.0 * static_cast<double>(hn::Lanes(d)) * static_cast<double>(turns);
}

}  // namespace sieve::bench::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::bench {

HWY_EXPORT(MultiplyAdds);

double multiply_adds(std::size_t turns, float& result) { return HWY_DYNAMIC_DISPATCH(MultiplyAdds)(turns, result); }

}  // namespace sieve::bench
#endif
