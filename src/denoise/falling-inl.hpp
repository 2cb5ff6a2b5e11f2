// exp(-v) for the lanes of this room: included once for each instruction set, so it has no guard of its own.
HWY_BEFORE_NAMESPACE();
namespace sieve::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// exp(-v) of v >= 0: 2^k by its bits, the rest by a polynomial of degree 4.
template <class D, class V>
HWY_INLINE V Falling(D d, V v) {
  const hn::RebindToSigned<D> di;
  const auto t = hn::Max(hn::Mul(v, hn::Set(d, -1.44269504F)), hn::Set(d, -126.0F));
  const auto whole = hn::Floor(t), part = hn::Sub(t, whole);
  auto p = hn::MulAdd(part, hn::Set(d, 0.013670309F), hn::Set(d, 0.05169778F));
  p = hn::MulAdd(p, part, hn::Set(d, 0.24163844F));
  p = hn::MulAdd(p, part, hn::Set(d, 0.69299334F));
  p = hn::MulAdd(p, part, hn::Set(d, 1.0F));
  const auto power = hn::BitCast(d, hn::ShiftLeft<23>(hn::Add(hn::ConvertTo(di, whole), hn::Set(di, 127))));
  return hn::IfThenZeroElse(hn::Le(t, hn::Set(d, -126.0F)), hn::Mul(p, power));
}

}  // namespace sieve::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();
