#pragma once
// Every filter of the catalogue, ready to run on a picture of one's own.

#include <string>
#include <vector>

#include "support.hpp"

namespace test {

// With its defaults, a second picture where it wants one, and, where it is `given`, a strength that it would measure.
inline std::vector<sieve::Filter> every_filter(const ConstView& in, bool given = true) {
  std::vector<sieve::Filter> all;
  const sieve::Resources second{[&](const std::string&) { return noise(in.width(), in.height(), 1, 9); }, {}};
  for (const std::string& name : sieve::Catalogue::standard().names()) {
    sieve::Filter f = sieve::Catalogue::standard().find(name);
    for (const sieve::Parameter& p : f.about().parameters) {
      if (p.name == "with" && p.picture) f.set("with", "second.png", second);
      if (given && p.may_be_auto && (p.name == "noise" || p.name == "speckle" || p.name == "edge"))
        f.set(p.name, "0.1");
    }
    // As many rounds as it takes to do everything once.
    if (name == "plug_and_play") f.set("rounds", "2");
    all.push_back(f);
  }
  return all;
}

}  // namespace test
