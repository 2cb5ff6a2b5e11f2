// Odd samples through the whole catalogue: not a number, infinite, enormous, and none that differs from another.

#include <algorithm>
#include <set>

#include "catalogue.hpp"

using namespace sieve;
using test::deviation;
using test::noise;
using test::not_finite;

namespace {

constexpr int kX = 40, kY = 31, kChannel = 1;

// What a filter said while it ran, its result, or its refusal.
struct Told {
  Image image;
  std::vector<std::string> notes;
  std::string refusal;
};
Told told(const Filter& f, const ConstView& in) {
  Told t;
  Watch watch;
  watch.on_note = [&](const std::string& line) { t.notes.push_back(line); };
  const Watch::Active active(watch);
  try {
    t.image = f(in);
  } catch (const Error& e) {
    t.refusal = e.what();
  }
  return t;
}

// Largest difference of finite samples that lie farther than `reach` from the odd one; infinite where one is not
// finite.
double far_change(const ConstView& a, const ConstView& b, int reach) {
  double most = 0;
  for (int c = 0; c < a.channels(); ++c) {
    for (int y = 0; y < a.height(); ++y) {
      for (int x = 0; x < a.width(); ++x) {
        if (std::max(std::abs(x - kX), std::abs(y - kY)) <= reach) continue;
        const double d = std::abs(static_cast<double>(a.at(x, y, c)) - static_cast<double>(b.at(x, y, c)));
        most = std::isfinite(d) ? std::max(most, d) : std::numeric_limits<double>::infinity();
      }
    }
  }
  return most;
}

}  // namespace

TEST_CASE("a sample that is not finite: nothing beyond a filter's reach changes, and a picture is never lost") {
  const Image clean = noise(97, 71, 3);
  Image none = clean;
  none.at(kX, kY, kChannel) = 0;
  int local = 0, wide = 0;
  for (const float odd :
       {std::nanf(""), std::numeric_limits<float>::infinity(), -std::numeric_limits<float>::infinity()}) {
    Image in = clean;
    in.at(kX, kY, kChannel) = odd;
    for (const Filter& f : test::every_filter(in)) {
      CAPTURE(f.text());
      CAPTURE(odd);
      const Told with = told(f, in), without = told(f, clean);
      CHECK(with.refusal == without.refusal);
      if (f.about().name == "background" || f.about().name == "flatten") {
        CHECK(std::count(with.notes.begin(), with.notes.end(), "1 sample is not finite: left out of the light") == 1);
        CHECK(std::count(without.notes.begin(), without.notes.end(), "1 sample is not finite: left out of the light") ==
              0);
      }
      if (!with.refusal.empty() || without.image.shape() != clean.shape()) continue;
      if (const auto reach = f.reach()) {
        CHECK(far_change(with.image, without.image, *reach) < 1e-6);
        ++local;
        continue;
      }
      // What looks at the whole picture leaves the sample out, or takes it for black; a few pixels around it may go
      // with it.
      CHECK(not_finite(with.image) <= clean.shape().samples() / 40);
      CHECK(std::min(far_change(with.image, without.image, 15), far_change(with.image, f(none), 15)) < 0.02);
      ++wide;
    }
  }
  CHECK(local > 3 * 40);
  CHECK(wide > 3 * 20);
}

TEST_CASE("a picture with no finite sample at all, and one with a single one: a picture or an error, soon") {
  for (const int channels : {1, 3}) {
    const Image nothing = map_samples(noise(33, 21, channels), [](float) { return std::nanf(""); });
    Image one = nothing;
    for (int c = 0; c < channels; ++c) one.at(16, 10, c) = 0.5F;
    for (const Image& in : {nothing, one}) {
      for (const bool given : {true, false}) {
        for (const Filter& f : test::every_filter(in, given)) {
          CAPTURE(f.text());
          const Told t = told(f, in);
          CHECK(t.refusal.empty() == !t.image.empty());
          // Who refuses says so as himself.
          if (!t.refusal.empty()) CHECK(t.refusal.find(':') != std::string::npos);
        }
      }
    }
  }
}

TEST_CASE("a picture of one level: always finite, and given back by all that smooths, sharpens, restores or sorts") {
  // These take the level away, measure it against something else, or speak in other units.
  const std::set<std::string> other = {"band_pass",          "high_pass", "correlate",        "gradient_direction",
                                       "gradient_magnitude", "anscombe",  "inverse_anscombe", "transfer"};
  const std::set<std::string> families = {"denoise", "frequency", "lowrank", "rank", "restore", "sharpen", "spatial"};
  int checked = 0;
  for (const float level : {0.0F, 0.4F, 1.0F}) {
    for (const int channels : {1, 3}) {
      const Image in = map_samples(Image(61, 47, channels), [&](float) { return level; });
      for (const bool given : {true, false}) {
        for (const Filter& f : test::every_filter(in, given)) {
          CAPTURE(f.text());
          CAPTURE(level);
          CAPTURE(channels);
          const Told t = told(f, in);
          if (!t.refusal.empty()) continue;
          CHECK(not_finite(t.image) == 0);
          const bool even = f.about().name == "flatten" || f.about().name == "background" ||
                            (f.about().name == "homomorphic" && level > 0);
          if (!even && (families.count(f.about().family) == 0 || other.count(f.about().name) > 0)) continue;
          CHECK(deviation(t.image, in) < 2e-5);
          ++checked;
        }
      }
    }
  }
  CHECK(checked > 500);
}

TEST_CASE(
    "light that is negative throughout is evened out like its positive; of a mean of nothing, nothing is divided") {
  Image in(80, 60), balanced(80, 60);
  for (int y = 0; y < 60; ++y) {
    for (int x = 0; x < 80; ++x) {
      in.at(x, y) = 0.3F + 0.005F * static_cast<float>(x);
      balanced.at(x, y) = (x + y) % 2 == 0 ? 0.5F : -0.5F;
    }
  }
  const Flatten flatten{.sigma = 8};
  const auto negative = [](const ConstView& v) { return map_samples(v, [](float s) { return -s; }); };
  CHECK(deviation(flatten(negative(in)), negative(flatten(in))) < 1e-6);
  CHECK(flatness(flatten(in)) < 0.3 * flatness(in));
  CHECK(not_finite(flatten(balanced)) == 0);
}

TEST_CASE("enormous and tiny samples stay finite where the filter does not raise them to a power") {
  for (const float scale : {1e-25F, 1e-10F, 1e10F, 1e18F}) {
    const Image in = map_samples(noise(61, 47, 3), [&](float v) { return v * scale; });
    for (const Filter& f : test::every_filter(in)) {
      CAPTURE(f.text());
      CAPTURE(scale);
      const Told t = told(f, in);
      if (!t.refusal.empty()) continue;
      const bool power = f.about().family == "color" || f.about().name == "linearize";
      if (!(power && scale > 1e15F)) CHECK(not_finite(t.image) == 0);
    }
  }
}

TEST_CASE("what is enormous or no number has no weight where neighbors are weighed by likeness") {
  Image in = noise(43, 27);
  in.at(11, 8) = 1e30F;
  in.at(30, 14) = std::numeric_limits<float>::quiet_NaN();
  for (const Filter& f : {Filter(Bilateral{.sigma = 1.5F, .range = 0.2F, .method = BilateralMethod::exact}),
                          Filter(NonlocalMeans{.patch = 1, .search = 3, .strength = 1, .noise = 0.2F})}) {
    CAPTURE(f.text());
    const Image result = f(in), plain = reference::Definitions::standard().plain(f, in).value();
    CHECK(result.at(11, 8) == 1e30F);
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        CAPTURE(x);
        CAPTURE(y);
        if (std::isnan(plain.at(x, y))) {
          CHECK(std::isnan(result.at(x, y)));
        } else {
          CHECK(result.at(x, y) == doctest::Approx(plain.at(x, y)).epsilon(1e-4));
        }
      }
    }
  }
}
