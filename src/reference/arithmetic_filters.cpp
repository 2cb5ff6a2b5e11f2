// Arithmetic with a second picture, sample by sample in double.

#include <cmath>

#include "reference/families.hpp"
#include "sieve/tone/arithmetic.hpp"

namespace sieve {

using namespace internal;

namespace {

// work(a, b) for every color sample and the one of the second picture at its place.
template <class F, class Work>
Image with_second(const F& f, const ConstView& in, Work work) {
  const Image& second = f.with.image("arithmetic", "with");
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const int other = second.shape().color_channels() == 1 ? 0 : c;
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        out.at(x, y, c) =
            static_cast<float>(work(static_cast<double>(in.at(x, y, c)), static_cast<double>(second.at(x, y, other))));
      }
    }
  }
  return out;
}

}  // namespace

void internal::define_arithmetic(reference::Definitions& d) {
  // One operation in single precision is the nearest float to the exact result, as the cast of the double is.
  d.add<Add>(kExact, [](const Add& f, const ConstView& in) {
    return with_second(f, in, [](double a, double b) { return a + b; });
  });
  d.add<Subtract>(kExact, [](const Subtract& f, const ConstView& in) {
    return with_second(f, in, [](double a, double b) { return a - b; });
  });
  d.add<Multiply>(kExact, [](const Multiply& f, const ConstView& in) {
    return with_second(f, in, [](double a, double b) { return a * b; });
  });
  d.add<AbsoluteDifference>(kExact, [](const AbsoluteDifference& f, const ConstView& in) {
    return with_second(f, in, [](double a, double b) { return std::abs(a - b); });
  });
  d.add<Divide>(kExact, [](const Divide& f, const ConstView& in) {
    return with_second(f, in, [least = static_cast<double>(f.least)](double a, double b) {
      if (std::abs(b) >= least || std::isnan(b)) return a / b;
      return std::signbit(b) ? a / -least : a / least;
    });
  });
  // Three roundings in single precision, each half a unit in the last place of a number of at most twice the size of
  // the larger sample.
  d.add<Blend>(3.6e-7, [](const Blend& f, const ConstView& in) {
    return with_second(f, in, [k = static_cast<double>(f.share)](double a, double b) { return (1 - k) * a + k * b; });
  });
}

}  // namespace sieve
