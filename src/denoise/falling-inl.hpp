// exp(-v) for the lanes of this room: included once for each instruction set, so it has no guard of its own.
HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// From here on a weight is none: a smaller one would be slow and, times an enormous sample, not small.
inline constexpr float kFar = 60;

// exp(-v) of v from 0 to kFar, within 1e-5 of itself: 2^k by its bits, the rest by a polynomial of degree 4.
template <class D, class V>
HWY_INLINE V FallingNear(D d, V v) {
  const hn::RebindToSigned<D> di;
  // Adding 1.5 * 2^23 leaves the nearest whole number in the lowest bits.
  const auto magic = hn::Set(d, 12582912.0F), log2 = hn::Set(d, 1.44269504F);
  const auto shifted = hn::NegMulAdd(v, log2, magic), part = hn::NegMulSub(v, log2, hn::Sub(shifted, magic));
  const auto square = hn::Mul(part, part), low = hn::MulAdd(part, hn::Set(d, 0.69313673F), hn::Set(d, 1.0F)),
             middle = hn::MulAdd(part, hn::Set(d, 0.055838283F), hn::Set(d, 0.2402253F));
  const auto p = hn::MulAdd(square, hn::MulAdd(square, hn::Set(d, 0.0096567103F), middle), low);
  return hn::BitCast(d, hn::Add(hn::BitCast(di, p), hn::ShiftLeft<23>(hn::BitCast(di, shifted))));
}

// The same with 1 of v below 0, and 0 from kFar on and of what is no number.
template <class D, class V>
HWY_INLINE V Falling(D d, V v) {
  return hn::IfThenElseZero(hn::Lt(v, hn::Set(d, kFar)), FallingNear(d, hn::Max(v, hn::Zero(d))));
}
// The same of v >= 0.
template <class D, class V>
HWY_INLINE V FallingFromZero(D d, V v) {
  return hn::IfThenElseZero(hn::Lt(v, hn::Set(d, kFar)), FallingNear(d, v));
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();
