// A struct without a description is no filter: with RIGHT defined this compiles, without it it must not; see run.cmake.

#include "sieve/filter.hpp"

struct Same {
  sieve::Image operator()(const sieve::ConstView& in) const { return sieve::Image(in); }
#ifdef RIGHT
  static void describe(sieve::Description<Same>& d) { d.called("same", "mine", "The picture."); }
#else
  static void descibe(sieve::Description<Same>& d) { d.called("same", "mine", "The picture."); }
#endif
};

sieve::Filter same() { return Same{}; }
