#include "reference/families.hpp"
#include "sieve/filter/within.hpp"

namespace sieve {

using namespace internal;

namespace {

// Outside of the part the picture; in it, the picture plus what the chain changes, times the mask.
Image within(const Within& f, const ConstView& in) {
  const Image result = reference::plain(f.chain, in);
  const Rectangle r = f.part.value_or(Rectangle{0, 0, in.width(), in.height()});
  Image out(in);
  for (int y = r.y; y < r.y + r.height; ++y) {
    for (int x = r.x; x < r.x + r.width; ++x) {
      for (int c = 0; c < in.channels(); ++c) {
        const bool alpha = in.shape.has_alpha() && c == in.channels() - 1;
        const double before = in.at(x, y, c), after = result.at(x, y, c),
                     share = f.mask.empty() || alpha ? 1 : f.mask.image("within", "mask").at(x, y);
        out.at(x, y, c) = static_cast<float>(share == 0   ? before
                                             : share == 1 ? after
                                                          : before + share * (after - before));
      }
    }
  }
  return out;
}

}  // namespace

void internal::define_groups(reference::Definitions& d) { d.add<Within>(kRounded, within); }

}  // namespace sieve
