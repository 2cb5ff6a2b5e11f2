// Loops over rows by vectors, for the files of inner loops: included once for each instruction set, so it has no guard.
HWY_BEFORE_NAMESPACE();
namespace sieve::internal::lanes::HWY_NAMESPACE {
namespace hn = hwy::HWY_NAMESPACE;

// body(tag, x) over whole vectors, then one lane at a time.
template <class F>
HWY_INLINE void EachVector(std::size_t n, F body) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  std::size_t x = 0;
  for (; x + N <= n; x += N) body(d, x);
  const hn::CappedTag<float, 1> one;
  for (; x < n; ++x) body(one, x);
}

// body(tag, x) over whole vectors, also over the end: for buffers with room there.
template <class F>
HWY_INLINE void WholeVectors(std::size_t n, F body) {
  const hn::ScalableTag<float> d;
  const std::size_t N = hn::Lanes(d);
  for (std::size_t x = 0; x < n; x += N) body(d, x);
}

}  // namespace sieve::internal::lanes::HWY_NAMESPACE
HWY_AFTER_NAMESPACE();
