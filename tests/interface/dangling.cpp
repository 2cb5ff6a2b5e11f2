// A view of a picture that ends with the line is refused, one that outlives the call is not: with RIGHT defined this
// compiles, without it Clang must refuse it (GCC 12 cannot tell); see run.cmake.

#include "sieve/sieve.hpp"

using namespace sieve;

double mean(const ConstView& v) { return statistics(v)[0].mean; }

double views(const ConstView& in) {
#ifdef RIGHT
  // A temporary handed straight to a function lives as long as the call.
  const Image gray = to_gray(in), soft = Gaussian{}(in);
  const ConstView a = gray, b = soft.part({0, 0, 2, 2});
  return mean(a) + mean(b) + mean(to_gray(in)) + mean(Gaussian{}(in)) + mean(Image(8, 8, 3).view()) +
         mean(to_gray(in).part({0, 0, 2, 2}));
#elif defined(CONVERTED)
  const ConstView a = to_gray(in);
  return mean(a);
#elif defined(FILTERED)
  const ConstView a = Gaussian{}(in);
  return mean(a);
#elif defined(MADE)
  const ConstView a = to_gray(Image(8, 8, 3));
  return mean(a);
#elif defined(VIEWED)
  const ConstView a = Image(8, 8, 3).view();
  return mean(a);
#elif defined(PART)
  const ConstView a = to_gray(in).part({0, 0, 2, 2});
  return mean(a);
#elif defined(ROW)
  const float* a = to_gray(in).row(0);
  return a[0];
#else
  const ConstView a = to_gray(in).channel(0);
  return mean(a);
#endif
}
