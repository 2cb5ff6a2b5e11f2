// A filter with some of its settings on a picture, both out of the bytes: the same again and through an engine, what
// it tells of itself, near its plain definition, and an end without a crash where samples are not finite.

#include <cstdlib>

#include "random_steps.hpp"
#include "sieve/reference.hpp"

namespace {

using namespace sieve;

bool same(const ConstView& a, const ConstView& b) { return a.shape == b.shape && identical(a, b); }

void check(const Filter& f, const Image& in) {
  Image fast;
  try {
    fast = f(in);
  } catch (const InvalidArgument&) {
    return;
  }
  if (!same(fast, f(in))) std::abort();
  if (!same(fast, Engine::standard().run(Chain{f}, in).image)) std::abort();
  if (f.meaning().find('\n') != std::string::npos) std::abort();
  for (const Stage& s : f.stages(in)) {
    if (s.name.empty() || s.image.empty() == s.curves.empty()) std::abort();
  }
}

// Tolerances are stated for usual settings; extreme ones raise roundings, and a mistake is far beyond.
void hold_against_plain(const Filter& f, const Image& in) {
  constexpr double kRoom = 100;
  std::optional<Image> plain;
  try {
    plain = reference::Definitions::standard().plain(f, in);
  } catch (const InvalidArgument&) {
  }
  const Image fast = f(in);
  if (!plain || !fuzz::comparable(f, in, fast) || !fuzz::comparable(f, in, *plain)) return;
  const reference::Agreement held = reference::Definitions::standard().agreement(f, fast, *plain);
  if (!held.same_shape || !(held.deviation <= kRoom * held.tolerance)) std::abort();
}

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  fuzz::Bytes bytes({data, size});
  const fuzz::Samples samples = bytes.below(3) == 0 ? fuzz::Samples::odd : fuzz::Samples::usual;
  const Image in = fuzz::random_picture(bytes, 40, samples);
  try {
    const Filter f = fuzz::random_filter(bytes, fuzz::second_of(in));
    check(f, in);
    // Plain definitions take long on larger pictures.
    if (samples == fuzz::Samples::usual && in.shape().pixels() <= 100) hold_against_plain(f, in);
  } catch (const InvalidArgument&) {
    // Settings that do not go together.
  }
  return 0;
}
