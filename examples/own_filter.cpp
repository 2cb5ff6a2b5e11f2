// A filter of one's own with a plain form, and a tool of its own around it: `own_filter verify local_range`,
// `own_filter apply IN.png OUT.png local_range radius=2 then stretch`, and every other command.

#include <algorithm>

#include "sieve/cli.hpp"
#include "sieve/sieve.hpp"

struct LocalRange {
  int radius = 1;
  // Rows first, then columns: the largest and smallest of a square are those of its rows.
  sieve::Image operator()(const sieve::ConstView& in) const {
    sieve::check(*this);
    const auto pass = [&](const sieve::ConstView& v, bool along_x, float sign) {
      return sieve::map_windows(v, radius, sieve::Border::edge, [=, r = radius](const sieve::Window& w) {
        float most = sign * w(0, 0);
        for (int i = -r; i <= r; ++i) most = std::max(most, sign * (along_x ? w(i, 0) : w(0, i)));
        return sign * most;
      });
    };
    const sieve::Image high = pass(pass(in, true, 1), false, 1), low = pass(pass(in, true, -1), false, -1);
    return sieve::map_pairs(high, low, [](float a, float b) { return a - b; });
  }
  static void describe(sieve::Description<LocalRange>& d) {
    d.called("local_range", "mine", "Largest minus smallest sample of a square window.")
        .wrong("there are impulses: they set the range.")
        .also({"contrast", "spread"})
        .window(&LocalRange::radius);
    d.field("radius", &LocalRange::radius, "pixels", "half-width of the window", {0, 50});
  }
};

// The definition that `verify` holds it against: all samples of the square.
sieve::Image plain(const LocalRange& f, const sieve::ConstView& in) {
  return sieve::map_windows(in, f.radius, sieve::Border::edge, [r = f.radius](const sieve::Window& w) {
    float low = w(0, 0), high = w(0, 0);
    for (int y = -r; y <= r; ++y) {
      for (int x = -r; x <= r; ++x) low = std::min(low, w(x, y)), high = std::max(high, w(x, y));
    }
    return high - low;
  });
}

int main(int argc, char** argv) {
  sieve::Catalogue mine = sieve::Catalogue::standard();
  mine.add<LocalRange>();
  sieve::reference::Definitions definitions = sieve::reference::Definitions::standard();
  definitions.add<LocalRange>(1e-7, plain);
  return sieve::cli::run(argc, argv, mine, definitions);
}
