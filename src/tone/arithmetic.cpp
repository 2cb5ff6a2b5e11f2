#include "sieve/tone/arithmetic.hpp"

#include <cmath>

#include "run/validate.hpp"

namespace sieve {

using namespace internal;

namespace {

// A sample and the second picture's at the same place.
template <class F, class Function>
void describe_second(Description<F>& d, Function function) {
  d.field("with", &F::with, "", "the second picture: the same size, gray or with the same channels");
  d.maps_pairs(&F::with, function);
}

}  // namespace

Image Add::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Add::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Add::describe(Description<Add>& d) {
  d.float_result();
  d.called("add", "arithmetic", "Adds a second picture, sample by sample.")
      .wrong("you want the mean of two pictures: take blend.");
  d.also({"plus", "sum"});
  describe_second(d, [](const Add&) { return [](float a, float b) { return a + b; }; });
}

Image Subtract::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Subtract::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Subtract::describe(Description<Subtract>& d) {
  d.float_result();
  d.called("subtract", "arithmetic", "Takes a second picture off; the result is signed and kept so.");
  d.also({"minus", "difference"});
  d.wrong("only the size of the difference counts: take absolute_difference; to view it, stretch.");
  describe_second(d, [](const Subtract&) { return [](float a, float b) { return a - b; }; });
}

Image Multiply::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Multiply::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Multiply::describe(Description<Multiply>& d) {
  d.called("multiply", "arithmetic", "Multiplies by a second picture, such as a mask or a pattern of light.");
  d.also({"product", "mask"});
  d.wrong("a filter is to act in a region only: open a group with within.");
  describe_second(d, [](const Multiply&) { return [](float a, float b) { return a * b; }; });
}

Image Divide::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Divide::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Divide::describe(Description<Divide>& d) {
  d.float_result();
  d.called("divide", "arithmetic", "Divides by a second picture, protected where that is near zero.");
  d.also({"ratio", "quotient"});
  d.wrong("the divisor is a blur in the frequency domain: that is deconvolution, not a division of samples.");
  describe_second(d, [](const Divide& f) {
    return [k = static_cast<float>(f.least)](float a, float b) {
      return std::fabs(b) >= k || std::isnan(b) ? a / b : a / std::copysign(k, b);
    };
  });
  d.field("least", &Divide::least, "0..1 scale", "smallest size of a divisor", {1e-30, 1e30});
}

Image Blend::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Blend::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Blend::describe(Description<Blend>& d) {
  d.called("blend", "arithmetic", "A weighted mean of two pictures.")
      .wrong("the weight differs from place to place: take within mask=.");
  d.also({"mix", "average", "alpha", "opacity"});
  describe_second(d, [](const Blend& f) {
    return [k = static_cast<float>(f.share)](float a, float b) { return a + k * (b - a); };
  });
  d.field("share", &Blend::share, "share", "of the second picture", {0, 1});
}

Image AbsoluteDifference::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void AbsoluteDifference::operator()(const ConstView& in, const View& out) const {
  validate_and_run_rows(*this, in, out);
}
void AbsoluteDifference::describe(Description<AbsoluteDifference>& d) {
  d.called("absolute_difference", "arithmetic", "The size of the difference to a second picture.");
  d.also({"compare", "delta", "error"});
  d.wrong("the sign matters (brighter or darker): take subtract.");
  describe_second(d, [](const AbsoluteDifference&) { return [](float a, float b) { return std::fabs(a - b); }; });
}

}  // namespace sieve
