// A result or a count of lost samples that is thrown away, and a call of the histogram by places: with RIGHT defined
// this compiles, without it it must not; see run.cmake.

#include <vector>

#include "sieve/io.hpp"
#include "sieve/sieve.hpp"

using namespace sieve;

double calls(const ConstView& in, Image& out) {
  std::vector<std::uint8_t> bytes(in.shape.samples());
  Chain chain = {Invert{}};
  const Filter filter = Gaussian{};
#ifdef RIGHT
  // Into a buffer there is nothing to throw away, and a picture is taken as one.
  Gaussian{}(in, out);
  filter(in, out);
  chain(in, out);
  out.channel(0).part({0, 0, 1, 1}).at(0, 0) = 1;
  out.fill(0.5F);
  const Saturation lost = to_interleaved(in, bytes.data());
  const io::Written written = io::write("out.png", in);
  return static_cast<double>(lost.total() + written.saturation.total()) +
         histogram(in, {.channel = 0, .low = -0.5, .high = 0.5}).low;
#elif defined(SATURATION)
  to_interleaved(in, bytes.data());
#elif defined(WRITTEN)
  io::write("out.png", in);
#elif defined(RESULT)
  Gaussian{}(in);
#elif defined(ANY)
  filter(in);
#elif defined(ALL)
  chain(in);
#elif defined(FUNCTION)
  to_gray(in);
#elif defined(PLACES)
  return histogram(in, 0, -0.5, 0.5).low;
#else
  // A constant picture is no output.
  const Image fixed(in);
  Gaussian{}(in, fixed);
#endif
  return 0;
}
