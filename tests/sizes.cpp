// Every filter of the catalogue on every size from 1x1 to 40x40, against its plain definition. In every run of the
// tests each filter gets some of the sizes, and each size some of the filters; SIEVE_ALL_SIZES gives all (scripts/check
// numbers).

#include <cstdio>
#include <cstdlib>

#include <numeric>

#include "catalogue.hpp"

using namespace sieve;

namespace {

constexpr int kLargest = 40;

// Nothing where the filter does not go with the picture.
std::optional<Image> unless_refused(const Filter& f, const ConstView& in) {
  try {
    return f(in);
  } catch (const Error& e) {
    CHECK(std::string(e.what()).find(':') != std::string::npos);
    return std::nullopt;
  }
}

// Each round is the same work, and hundreds by the plain definition take minutes; of weights whose estimated error is
// equal to rounding either may be taken.
Filter settled(Filter f) {
  const std::string& name = f.about().name;
  if (name == "landweber" || name == "richardson_lucy") f.set("iterations", "3");
  if (name == "total_variation") f.set("weight", "0.1");
  return f;
}

// The filter with what it chose by itself in this picture given; nothing where it chose nothing.
template <class... Choosing>
std::optional<Filter> as_chosen(const Filter& f, const ConstView& in) {
  std::optional<Filter> chosen;
  const auto one = [&]<class T>(const T* filter) {
    if (filter != nullptr) chosen = Filter(*static_cast<const T*>(f.about().settled(filter, in).get()));
  };
  (one(f.as<Choosing>()), ...);
  return chosen;
}

// The weight that it says it found.
double weight_told(const Filter& f, const ConstView& in) {
  double weight = 0;
  Watch watch;
  watch.on_note = [&](const std::string& note) {
    if (note.starts_with("weight ")) weight = std::stod(note.substr(7));
  };
  const Watch::Active active(watch);
  (void)f(in);
  return weight;
}

// How many samples are further apart than that.
std::size_t apart(const Image& a, const Image& b, double by) {
  std::size_t count = 0;
  for (int c = 0; c < a.channels(); ++c) {
    for (int y = 0; y < a.height(); ++y) {
      for (int x = 0; x < a.width(); ++x) count += std::abs(a.at(x, y, c) - b.at(x, y, c)) > by ? 1 : 0;
    }
  }
  return count;
}

// False where the filter does not go with the picture.
bool agrees(const Filter& f, const ConstView& picture) {
  // With samples below 0 the shares of a cone can cancel, and the cube root of what rounding leaves of them is large.
  constexpr std::string_view by_cones[] = {"to_oklab", "hue_shift", "saturate", "keep_hue"};
  const bool cones = std::find(std::begin(by_cones), std::end(by_cones), f.about().name) != std::end(by_cones);
  const Image seen = cones ? Clip{}(picture) : Image(picture);
  const ConstView in = seen;
  const auto fast = unless_refused(f, in);
  if (!fast) return false;
  const reference::Definitions& definitions = reference::Definitions::standard();
  CAPTURE(f.text());
  CAPTURE(in.shape.width);
  CAPTURE(in.shape.height);
  CAPTURE(in.shape.channels);
  const auto plain = definitions.plain(f, in);
  // A count of photons is drawn and judged by its distribution; this deconvolution is judged by what it minimizes.
  const std::string& name = f.about().name;
  REQUIRE((plain.has_value() || name == "poisson_noise" || name == "total_variation_deconvolution"));
  if (!plain) return true;
  const reference::Agreement a = definitions.agreement(f, *fast, *plain);
  CHECK(a.same_shape);
  if (a.deviation <= a.tolerance) return true;
  CAPTURE(a.deviation);
  CAPTURE(a.tolerance);
  // Of settings whose estimated error is equal to rounding either may be taken. What was taken must then do what it is
  // defined to do, and the results lie close.
  if (const auto chosen = as_chosen<Bilateral, NonlocalMeans, TotalVariation, Guided>(f, in)) {
    const reference::Agreement b =
        definitions.agreement(*chosen, (*chosen)(in), definitions.plain(*chosen, in).value());
    CHECK(b.deviation <= b.tolerance);
    CHECK(a.deviation <= 2e-3);
    return true;
  }
  // This one chooses a threshold for each of its bands.
  if (name == "wavelet_shrink") {
    CHECK(a.deviation <= 2e-3);
    return true;
  }
  // Each of the two raises its weight in steps of a tenth from where its search ended, in color one of each axis.
  if (name == "constrained_least_squares" && in.shape.channels > 1) {
    Filter given = f;
    given.set("weight", "0.05");
    CHECK(definitions.agreement(given, given(in), definitions.plain(given, in).value()).deviation <= a.tolerance);
    CHECK(a.deviation <= 0.05);
    return true;
  }
  if (name == "constrained_least_squares") {
    const double weight = weight_told(f, in);
    const auto with = [&](double w) {
      char text[32];
      std::snprintf(text, sizeof text, "%.9g", w);
      Filter given = f;
      given.set("weight", text);
      return definitions.plain(given, in).value();
    };
    const Image here = with(weight);
    CHECK(test::deviation(*fast, here) <= a.tolerance);
    CHECK(test::deviation(*plain, here) <=
          std::max(test::deviation(with(weight * 1.13), here), test::deviation(with(weight / 1.13), here)));
    return true;
  }
  // A sample on the edge of two bins is counted with either; where the other picture has none of the levels between,
  // they are far apart.
  if (name == "match") {
    CHECK(apart(*fast, *plain, a.tolerance) <= 1);
    return true;
  }
  CHECK(a.deviation <= a.tolerance);
  return true;
}

}  // namespace

TEST_CASE("every filter on sizes from 1x1 to 40x40 is its plain definition") {
  const char* part = std::getenv("SIEVE_ALL_SIZES");  // "K/N": every N-th height from K on
  std::size_t compared = 0;
  const auto compare = [&](int w, int h, std::size_t from, std::size_t count) {
    const Image in = test::noise(w, h, (w + h) % 4 == 0 ? 3 : 1, static_cast<std::uint64_t>(41 * h + w));
    std::vector<Filter> filters = test::every_filter(in);
    for (std::size_t i = from; i < std::min(from + count, filters.size()); ++i)
      compared += agrees(settled(filters[i]), in) ? 1 : 0;
  };
  const std::size_t filters = test::every_filter(Image(8, 8)).size();
  int first = 0, step = 0;
  if (part != nullptr && std::sscanf(part, "%d/%d", &first, &step) == 2) {
    for (int h = first; h <= kLargest; h += step) {
      for (int w = 1; w <= kLargest; ++w) compare(w, h, 0, filters);
    }
    CHECK(compared > static_cast<std::size_t>(100000 / step));
    return;
  }
  constexpr std::pair<int, int> sizes[] = {{1, 1},  {2, 1},  {1, 3},  {4, 2},  {3, 5},   {8, 7},  {40, 1},
                                           {1, 40}, {17, 9}, {6, 31}, {33, 5}, {16, 16}, {29, 13}};
  const RandomStream random(1, 1);
  for (std::size_t i = 0; i < filters; ++i) {
    for (std::size_t k = 0; k < 5; ++k) {
      const auto [w, h] =
          sizes[static_cast<std::size_t>(random.uniform(5 * i + k) * static_cast<double>(std::size(sizes)))];
      compare(w, h, i, 1);
    }
  }
  CHECK(compared > 400);
}

TEST_CASE("denormal samples and zeros of both signs give what the plain definition gives") {
  Image in(23, 17);
  const RandomStream random(5, 5);
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      const auto i = static_cast<std::uint64_t>(y * in.width() + x);
      const float tiny = static_cast<float>(1e-39 * (random.uniform(i) - 0.3));
      in.at(x, y) = i % 3 == 0 ? -0.0F : i % 3 == 1 ? 0.0F : tiny;
    }
  }
  std::size_t compared = 0;
  for (const Filter& f : test::every_filter(in)) {
    const auto fast = unless_refused(f, in);
    if (!fast) continue;
    CAPTURE(f.text());
    CHECK(test::not_finite(*fast) == 0);
    if (const auto plain = reference::Definitions::standard().plain(f, in)) CHECK(test::not_finite(*plain) == 0);
    ++compared;
  }
  CHECK(compared > 80);
  // Settings as small as that, too.
  CHECK(test::not_finite(WaveletShrink{.noise = 1e-38F}(in)) == 0);
  CHECK(test::not_finite(Bilateral{.sigma = 9, .range = 1, .method = BilateralMethod::fast}(in)) == 0);
  const Histogram h = histogram(test::noise(40, 30), {.bins = 64, .low = 0, .high = 1e-42});
  CHECK(h.below + h.above + std::accumulate(h.counts.begin(), h.counts.end(), std::size_t{0}) == 1200);
}
