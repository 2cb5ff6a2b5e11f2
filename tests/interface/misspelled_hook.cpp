// A hook that does not exist is refused where it is named, and so is a struct without a description: with RIGHT defined
// this compiles, without it it must not; see run.cmake.

#include "sieve/filter.hpp"

struct Shift {
  int by = 1;
  sieve::Image operator()(const sieve::ConstView& in) const { return sieve::Image(in); }
  int reach() const { return by; }
  static void describe(sieve::Description<Shift>& d) {
    d.called("shift", "mine", "Moves the picture.").field("by", &Shift::by, "pixels", "how far");
#ifdef RIGHT
    d.window(&Shift::reach);
#else
    d.window(&Shift::raech);
#endif
  }
};

sieve::Filter shift() { return Shift{}; }
