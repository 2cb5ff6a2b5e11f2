#include "lowrank/symmetric_lanes.hpp"

#undef HWY_TARGET_INCLUDE
#define HWY_TARGET_INCLUDE "lowrank/symmetric_lanes.cpp"
#include <hwy/foreach_target.h>
#include <hwy/highway.h>

HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

double UpdateColumn(const RankTwo& r, double* HWY_RESTRICT column, double* HWY_RESTRICT product, std::size_t n) {
  const hn::ScalableTag<double> d;
  const std::size_t N = hn::Lanes(d);
  const auto v_here = hn::Set(d, r.v_here), w_here = hn::Set(d, r.w_here), u_here = hn::Set(d, r.u_here);
  auto sum = hn::Zero(d), other = sum;
  const auto at = [&](std::size_t x, auto& to) HWY_ATTR {
    const auto a = hn::NegMulAdd(hn::LoadU(d, r.w + x), v_here,
                                 hn::NegMulAdd(hn::LoadU(d, r.v + x), w_here, hn::LoadU(d, column + x)));
    hn::StoreU(a, d, column + x);
    hn::StoreU(hn::MulAdd(a, u_here, hn::LoadU(d, product + x)), d, product + x);
    to = hn::MulAdd(a, hn::LoadU(d, r.u + x), to);
  };
  std::size_t x = 0;
  for (; x + 2 * N <= n; x += 2 * N) {
    at(x, sum);
    at(x + N, other);
  }
  double total = hn::GetLane(hn::SumOfLanes(d, hn::Add(sum, other)));
  for (; x < n; ++x) {
    column[x] -= r.v[x] * r.w_here + r.w[x] * r.v_here;
    product[x] += column[x] * r.u_here;
    total += column[x] * r.u[x];
  }
  return total;
}

void RotateColumns(const double* HWY_RESTRICT cosines, const double* HWY_RESTRICT sines, std::size_t first,
                   std::size_t count, double* HWY_RESTRICT panel) {
  const hn::CappedTag<double, 8> d;
  const std::size_t N = hn::Lanes(d);
  // What is left in column i goes on into the next rotation in registers.
  for (std::size_t row = 0; row < kPanelRows; row += 4 * N) {
    double* at = panel + (first + count) * kPanelRows + row;
    auto a0 = hn::LoadU(d, at), a1 = hn::LoadU(d, at + N), a2 = hn::LoadU(d, at + 2 * N), a3 = hn::LoadU(d, at + 3 * N);
    for (std::size_t k = 0; k < count; ++k, at -= kPanelRows) {
      const auto c = hn::Set(d, cosines[k]), s = hn::Set(d, sines[k]);
      const double* before = at - kPanelRows;
      const auto turn = [&](auto& a, std::size_t x) HWY_ATTR {
        const auto b = hn::LoadU(d, before + x);
        hn::StoreU(hn::MulAdd(s, b, hn::Mul(c, a)), d, at + x);
        a = hn::NegMulAdd(s, a, hn::Mul(c, b));
      };
      turn(a0, 0);
      turn(a1, N);
      turn(a2, 2 * N);
      turn(a3, 3 * N);
    }
    hn::StoreU(a0, d, at);
    hn::StoreU(a1, d, at + N);
    hn::StoreU(a2, d, at + 2 * N);
    hn::StoreU(a3, d, at + 3 * N);
  }
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();

#if HWY_ONCE
namespace sieve::internal::lanes {

HWY_EXPORT(UpdateColumn);
HWY_EXPORT(RotateColumns);

double update_column(const RankTwo& r, double* column, double* product, std::size_t n) {
  return HWY_DYNAMIC_DISPATCH(UpdateColumn)(r, column, product, n);
}
void rotate_columns(const double* cosines, const double* sines, std::size_t first, std::size_t count, double* panel) {
  HWY_DYNAMIC_DISPATCH(RotateColumns)(cosines, sines, first, count, panel);
}

}  // namespace sieve::internal::lanes
#endif
