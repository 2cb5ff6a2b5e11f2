#include "sieve/tone/arithmetic.hpp"

#include <cmath>

#include "sieve/core/map.hpp"

namespace sieve {

namespace {

template <class F, class Work>
Image with_second(const F& f, const ConstView& in, Work work) {
  check(f);
  const char* name = description_of<F>().name.c_str();
  require_input(in, name);
  try {
    return map_pairs(in, f.with.image(name, "with"), work);
  } catch (const InvalidArgument& e) {
    const std::string what = e.what();
    throw InvalidArgument(what.starts_with(name) ? what : std::string(name) + ": " + what);
  }
}

template <class F>
void with_field(Description<F>& d) {
  d.field("with", &F::with, "", "the second picture: the same size, gray or with the same channels");
}

}  // namespace

Image Add::operator()(const ConstView& in) const {
  return with_second(*this, in, [](float a, float b) { return a + b; });
}
void Add::describe(Description<Add>& d) {
  d.called("add", "arithmetic", "Adds a second picture, sample by sample.")
      .wrong("you want the mean of two pictures: take blend.");
  d.also({"plus", "sum"});
  with_field(d);
}

Image Subtract::operator()(const ConstView& in) const {
  return with_second(*this, in, [](float a, float b) { return a - b; });
}
void Subtract::describe(Description<Subtract>& d) {
  d.called("subtract", "arithmetic", "Takes a second picture off; the result is signed and kept so.");
  d.also({"minus", "difference"});
  d.wrong("only the size of the difference counts: take absolute_difference; to view it, stretch.");
  with_field(d);
}

Image Multiply::operator()(const ConstView& in) const {
  return with_second(*this, in, [](float a, float b) { return a * b; });
}
void Multiply::describe(Description<Multiply>& d) {
  d.called("multiply", "arithmetic", "Multiplies by a second picture, such as a mask or a pattern of light.");
  d.also({"product", "mask"});
  d.wrong("a filter is to act in a region only: open a group with within.");
  with_field(d);
}

Image Divide::operator()(const ConstView& in) const {
  return with_second(*this, in, [k = least](float a, float b) {
    return std::fabs(b) >= k || std::isnan(b) ? a / b : a / std::copysign(k, b);
  });
}
void Divide::describe(Description<Divide>& d) {
  d.called("divide", "arithmetic", "Divides by a second picture, protected where that is near zero.");
  d.also({"ratio", "quotient"});
  d.wrong("the divisor is a blur in the frequency domain: that is deconvolution, not a division of samples.");
  with_field(d);
  d.field("least", &Divide::least, "0..1 scale", "smallest size of a divisor", {1e-30, 1e30});
}

Image Blend::operator()(const ConstView& in) const {
  return with_second(*this, in, [k = share](float a, float b) { return a + k * (b - a); });
}
void Blend::describe(Description<Blend>& d) {
  d.called("blend", "arithmetic", "A weighted mean of two pictures.")
      .wrong("the weight differs from place to place: take within mask=.");
  d.also({"mix", "average", "alpha", "opacity"});
  with_field(d);
  d.field("share", &Blend::share, "share", "of the second picture", {0, 1});
}

Image AbsoluteDifference::operator()(const ConstView& in) const {
  return with_second(*this, in, [](float a, float b) { return std::fabs(a - b); });
}
void AbsoluteDifference::describe(Description<AbsoluteDifference>& d) {
  d.called("absolute_difference", "arithmetic", "The size of the difference to a second picture.");
  d.also({"compare", "delta", "error"});
  d.wrong("the sign matters (brighter or darker): take subtract.");
  with_field(d);
}

}  // namespace sieve
