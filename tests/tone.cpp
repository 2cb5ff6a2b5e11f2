#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

TEST_CASE("point operations against their definitions, alpha untouched, NaN kept") {
  Image in = noise(61, 43, 4);
  in.at(3, 3, 0) = std::nanf("");
  in.at(4, 3, 1) = std::numeric_limits<float>::infinity();
  const Clip clip{.low = 0.1F, .high = 0.8F};
  test::check_as_defined(clip, in);
  CHECK(std::isnan(clip(in).at(3, 3)));
  CHECK_THROWS_AS((Clip{.low = 1, .high = 0}(in)), InvalidArgument);
  test::check_as_defined(Absolute{}, in);
  CHECK(Absolute{}(in).at(5, 5, 3) == in.at(5, 5, 3));
  for (const GrayBy by : {GrayBy::rec709, GrayBy::rec2020, GrayBy::average, GrayBy::green})
    test::check_as_defined(Gray{by}, in);
}

TEST_CASE("stretch: given, measured and percentile ranges") {
  const Image in = noise(71, 50, 3);
  for (const Stretch s : {Stretch{}, Stretch{.low = 0.2F, .high = 0.4F, .to_low = 1, .to_high = 0},
                          Stretch{.low = {}, .high = {}, .percent = 2.5F}, Stretch{.low = 0.0F, .high = {}}}) {
    test::check_as_defined(s, in);
  }
  const auto all = statistics(Stretch{}(in));
  CHECK(std::min({all[0].minimum, all[1].minimum, all[2].minimum}) == doctest::Approx(0));
  CHECK(std::max({all[0].maximum, all[1].maximum, all[2].maximum}) == doctest::Approx(1));
  Image flat(5, 5);
  flat.at(0, 0) = std::nanf("");
  CHECK(Stretch{.low = {}, .high = {}, .to_low = 0.5F}(flat).at(2, 2) == 0.5F);  // one level: no division by zero
  CHECK_THROWS_AS((Stretch{.low = {}, .high = {}, .percent = 50}(in)), InvalidArgument);
}

TEST_CASE("statistics, histogram and percentiles of counted pictures") {
  const std::uint8_t levels[] = {0, 0, 85, 170, 255, 255, 255, 255};
  const Image in = from_interleaved(levels, 4, 2, 1);
  const ChannelStatistics s = statistics(in)[0];
  CHECK(s.minimum == 0);
  CHECK(s.maximum == 1);
  CHECK(s.mean == doctest::Approx(5.0 / 8));
  CHECK(s.deviation == doctest::Approx(std::sqrt(41.0 / 72 - 25.0 / 64)));
  CHECK(s.at_floor == 0.25);
  CHECK(s.at_ceiling == 0.5);
  const Histogram h = histogram(in, {.channel = 0});
  CHECK(h.counts.size() == 256);
  CHECK(h.counts[0] == 2);
  CHECK(h.counts[85] == 1);
  CHECK(h.counts[255] == 4);
  CHECK(histogram(in, {.channel = 0, .bins = 3}).counts == std::vector<std::size_t>{2, 1, 5});
  CHECK(percentile(in, 0) == 0);
  CHECK(percentile(in, 0.5) == doctest::Approx(170 / 255.0));
  CHECK(percentile(in, 1) == 1);
  Image odd(4, 1);
  odd.at(0, 0) = std::nanf("");
  odd.at(1, 0) = -1;
  odd.at(2, 0) = 2;
  CHECK(histogram(odd, {.channel = 0}).not_finite == 1);
  // Ends that are given leave out what lies beyond; those that are not are measured.
  CHECK(histogram(odd, {.channel = 0, .low = 0, .high = 1}).below == 1);
  CHECK(histogram(odd, {.channel = 0, .low = 0, .high = 1}).above == 1);
  const Histogram all_of_it = histogram(odd);
  CHECK(all_of_it.below + all_of_it.above == 0);
  CHECK(all_of_it.low == -1);
  CHECK(all_of_it.high == 2);
  CHECK(all_of_it.total() == 3);
  CHECK(histogram(odd, {.low = 0}).below == 1);
  CHECK(histogram(odd, {.low = 0}).high == 2);
  CHECK(histogram(map_samples(in, [](float v) { return 0.5F * v; })).high == 1);
  CHECK(sample_range(odd).minimum == -1);
  CHECK(sample_range(odd).maximum == 2);
  CHECK_THROWS_AS(sample_range(map_samples(odd, [](float) { return std::nanf(""); })), InvalidArgument);
  CHECK(statistics(odd)[0].minimum == -1);
  CHECK(statistics(odd)[0].not_finite == 1);
  CHECK_THROWS_AS(histogram(in, {.channel = 1}), InvalidArgument);
  CHECK_THROWS_AS(histogram(in, {.channel = 0, .bins = 10, .low = 1, .high = 1}), InvalidArgument);
  // Every level of a deep source has a bin of its own.
  std::vector<std::uint16_t> all(65536);
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = static_cast<std::uint16_t>(i);
  const Histogram deep = histogram(from_interleaved(all.data(), 256, 256, 1), {.channel = 0});
  CHECK(std::all_of(deep.counts.begin(), deep.counts.end(), [](std::size_t n) { return n == 1; }));
}

TEST_CASE("exposure verdicts follow the levels") {
  const Image in = map_samples(noise(64, 64), [](float v) { return (v + 0.25F) / 1.5F; });
  CHECK(exposure(in).verdict == ExposureVerdict::balanced);
  CHECK(exposure(map_samples(in, [](float v) { return 0.2F * v; })).verdict == ExposureVerdict::too_dark);
  CHECK(exposure(map_samples(in, [](float v) { return 0.8F + 0.2F * v; })).verdict == ExposureVerdict::too_bright);
  CHECK(exposure(map_samples(in, [](float v) { return 0.4F + 0.2F * v; })).verdict == ExposureVerdict::low_contrast);
  CHECK(exposure(map_samples(in, [](float) { return std::nanf(""); })).verdict == ExposureVerdict::unreadable);
}

TEST_CASE("percentiles are exact ranks, whatever the samples: negative, huge, tiny, equal, few or many") {
  const RandomStream random(31);
  for (const int n : {1, 2, 3, 17, 1000, 70001}) {
    for (const int kind : {0, 1, 2, 3}) {
      Image image(n, 1);
      std::vector<float> sorted;
      for (int x = 0; x < n; ++x) {
        const double u = random.uniform(static_cast<std::uint64_t>(x) + 100000ULL * static_cast<std::uint64_t>(kind));
        const double v = kind == 0   ? u
                         : kind == 1 ? (u - 0.5) * 1e30
                         : kind == 2 ? std::floor(u * 4) - 2
                                     : (u - 0.3) * 1e-38;
        image.at(x, 0) = static_cast<float>(v);
        sorted.push_back(image.at(x, 0));
      }
      std::sort(sorted.begin(), sorted.end());
      for (const double share : {0.0, 0.01, 0.25, 0.5, 0.51, 0.99, 1.0}) {
        CAPTURE(n);
        CAPTURE(kind);
        CAPTURE(share);
        const double place = share * (n - 1);
        const auto rank = static_cast<std::size_t>(share <= 0.5 ? std::floor(place) : std::ceil(place));
        CHECK(percentile(image, share) == static_cast<double>(sorted[rank]));
      }
    }
  }
  CHECK_THROWS_AS(percentile(Image(2, 2), 1.1), InvalidArgument);
  CHECK_THROWS_AS(percentile(map_samples(Image(2, 2), [](float) { return std::nanf(""); }), 0.5), InvalidArgument);
}

TEST_CASE("statistics of large offsets do not cancel, and do not depend on the threads") {
  Image image(901, 700);
  const RandomStream random(2);
  for (int y = 0; y < 700; ++y) {
    for (int x = 0; x < 901; ++x)
      image.at(x, y) = static_cast<float>(1000 + random.normal(static_cast<std::uint64_t>(y * 901 + x)));
  }
  const ChannelStatistics s = statistics(image)[0];
  CHECK(s.mean == doctest::Approx(1000).epsilon(1e-5));
  CHECK(s.deviation == doctest::Approx(1).epsilon(0.01));
  set_threads(1);
  const ChannelStatistics one = statistics(image)[0];
  set_threads(0);
  CHECK(one.mean == s.mean);
  CHECK(one.deviation == s.deviation);
  CHECK(s.above == image.shape().pixels());
}

TEST_CASE("stretch keeps the balance of colors, clip and absolute keep order and sign where they should") {
  Image rgb(2, 1, 3);
  for (int c = 0; c < 3; ++c) {
    rgb.at(0, 0, c) = 0.2F + 0.1F * static_cast<float>(c);
    rgb.at(1, 0, c) = 0.5F + 0.1F * static_cast<float>(c);
  }
  const Image out = Stretch{}(rgb);
  // One line for all channels: 0.2 .. 0.7 becomes 0 .. 1.
  CHECK(out.at(0, 0, 0) == doctest::Approx(0));
  CHECK(out.at(1, 0, 2) == doctest::Approx(1));
  CHECK(out.at(0, 0, 1) == doctest::Approx(0.2));
  const Image inverted = Stretch{.low = 0.0F, .high = 1.0F, .to_low = 1, .to_high = 0}(rgb);
  CHECK(inverted.at(1, 0, 1) == doctest::Approx(0.4));
  // Border the given range the line goes on: nothing is clipped.
  CHECK(Stretch{.low = 0.4F, .high = 0.5F}(rgb).at(0, 0, 0) == doctest::Approx(-2));
  Image zeros(1, 1);
  zeros.at(0, 0) = -0.0F;
  CHECK(std::signbit(Absolute{}(zeros).at(0, 0)) == false);
  CHECK(Clip{.low = 0.3F, .high = 0.3F}(rgb).at(1, 0, 2) == 0.3F);
}
