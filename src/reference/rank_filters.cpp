#include <algorithm>

#include "reference/families.hpp"
#include "sieve/reference/spatial.hpp"
#include "sieve/spatial/rank.hpp"

namespace sieve {

using namespace internal;

namespace {

using Sorted = std::vector<double>;

// value(samples of the window in rising order) at every pixel.
template <class F>
Image ranked(const F& f, const ConstView& in, const std::function<double(const Sorted&)>& value) {
  return reference::ranked(in, window_offsets("window", f.shape, f.radius, f.footprint), f.border, f.fill, value);
}

Image minimum(const Minimum& f, const ConstView& in) {
  return ranked(f, in, [](const Sorted& s) { return s.front(); });
}

Image maximum(const Maximum& f, const ConstView& in) {
  return ranked(f, in, [](const Sorted& s) { return s.back(); });
}

}  // namespace

void internal::define_rank(reference::Definitions& d) {
  d.add<Minimum>(kExact, minimum);
  d.add<Maximum>(kExact, maximum);
  d.add<Midpoint>(kRounded, [](const Midpoint& f, const ConstView& in) {
    return ranked(f, in, [](const Sorted& s) { return (s.front() + s.back()) / 2; });
  });
  d.add<Median>(kExact, [](const Median& f, const ConstView& in) {
    return ranked(f, in, [](const Sorted& s) { return s[(s.size() - 1) / 2]; });
  });
  d.add<Percentile>(kExact, [](const Percentile& f, const ConstView& in) {
    return ranked(f, in, [share = static_cast<double>(f.share)](const Sorted& s) {
      return s[static_cast<std::size_t>(std::floor(share * static_cast<double>(s.size() - 1) + 0.5))];
    });
  });
  d.add<AlphaTrimmedMean>(kRounded, [](const AlphaTrimmedMean& f, const ConstView& in) {
    return ranked(f, in, [share = static_cast<double>(f.share)](const Sorted& s) {
      // A whole number of samples that rounding has put just below itself counts as that.
      const auto cut = static_cast<std::size_t>(std::floor(share * static_cast<double>(s.size()) / 2 + 1e-9));
      double sum = 0;
      for (std::size_t i = cut; i < s.size() - cut; ++i) sum += s[i];
      return sum / static_cast<double>(s.size() - 2 * cut);
    });
  });
  d.add<WeightedMedian>(kExact, [](const WeightedMedian& f, const ConstView& in) {
    std::vector<WindowOffset> places;
    std::vector<double> weights;
    for (int y = 0; y < f.weights.height(); ++y) {
      for (int x = 0; x < f.weights.width(); ++x) {
        if (f.weights.at(x, y) == 0) continue;
        places.push_back({x - f.weights.anchor_x(), y - f.weights.anchor_y()});
        weights.push_back(f.weights.at(x, y));
      }
    }
    return reference::weighted_median(in, places, weights, f.border, f.fill);
  });
  d.add<AdaptiveMedian>(kExact, [](const AdaptiveMedian& f, const ConstView& in) {
    return reference::adaptive_median(in, static_cast<int>(f.radius), f.least, f.border, f.fill);
  });
  d.add<Opening>(kExact, [](const Opening& f, const ConstView& in) {
    const Image least = minimum({.radius = f.radius, .border = f.border, .fill = f.fill}, in);
    return maximum({.radius = f.radius, .border = f.border, .fill = f.fill}, least);
  });
  d.add<Closing>(kExact, [](const Closing& f, const ConstView& in) {
    const Image most = maximum({.radius = f.radius, .border = f.border, .fill = f.fill}, in);
    return minimum({.radius = f.radius, .border = f.border, .fill = f.fill}, most);
  });
}

}  // namespace sieve
