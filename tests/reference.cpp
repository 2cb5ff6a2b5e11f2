// The plain definitions themselves, against values worked out by hand: everything else is held against them.

#include <numbers>

#include "support.hpp"

using namespace sieve;

namespace {

Image from(int width, std::vector<float> samples, int channels = 1) {
  const int height = static_cast<int>(samples.size()) / width / channels;
  return from_interleaved(samples.data(), width, height, channels);
}

std::vector<float> samples(const Image& image, int channel = 0) {
  std::vector<float> all;
  for (int y = 0; y < image.height(); ++y)
    all.insert(all.end(), image.row(y, channel), image.row(y, channel) + image.width());
  return all;
}

void near(const Image& image, const std::vector<double>& expected) {
  const auto got = samples(image);
  REQUIRE(got.size() == expected.size());
  for (std::size_t i = 0; i < got.size(); ++i) {
    CAPTURE(i);
    CHECK(got[i] == doctest::Approx(expected[i]).epsilon(1e-6));
  }
}

}  // namespace

TEST_CASE("sample: every border at both ends and beyond several widths") {
  const Image in = from(3, {1, 2, 3});
  const auto at = [&](int x, Border b) { return reference::sample(in, x, 0, 0, b, 9); };
  CHECK(at(-1, Border::edge) == 1);
  CHECK(at(7, Border::edge) == 3);
  CHECK(at(-1, Border::mirror) == 1);
  CHECK(at(-2, Border::mirror) == 2);
  CHECK(at(-1, Border::reflect) == 2);
  CHECK(at(4, Border::reflect) == 1);
  CHECK(at(5, Border::wrap) == 3);
  CHECK(at(-4, Border::wrap) == 3);
  CHECK(at(-1, Border::zero) == 0);
  CHECK(at(3, Border::constant) == 9);
}

TEST_CASE("convolve and correlate: a row by hand, zero border") {
  const Image in = from(4, {1, 2, 3, 4});
  const Kernel k(3, 1, {1, 10, 100});
  // Correlation: 1 * left + 10 * middle + 100 * right; convolution the other way round.
  near(reference::correlate(in, k, Border::zero, 0, 1), {210, 321, 432, 43});
  near(reference::convolve(in, k, Border::zero, 0, 1), {12, 123, 234, 340});
  near(reference::convolve(in, k, Border::zero, 0, 2), {12, 234});
  near(reference::convolve(in, k, Border::inside, 0, 1), {123, 234});
  near(reference::convolve(in, k, Border::wrap, 0, 1), {412, 123, 234, 341});
  near(reference::convolve(in, k, Border::constant, 5, 1), {512, 123, 234, 345});
  // An even kernel with its anchor named: two samples to the right, or to the left when turned.
  const Kernel even(2, 1, {1, 10}, 0, 0);
  near(reference::correlate(in, even, Border::edge, 0, 1), {21, 32, 43, 44});
  near(reference::convolve(in, even, Border::edge, 0, 1), {11, 12, 23, 34});
  near(reference::correlate(in, even, Border::inside, 0, 1), {21, 32, 43});
  near(reference::convolve(in, even, Border::inside, 0, 1), {12, 23, 34});
}

TEST_CASE("convolve: a textbook square by hand") {
  const Image in = from(3, {1, 2, 3, 4, 5, 6, 7, 8, 9});
  const Kernel k(3, 3, {-1, -2, -1, 0, 0, 0, 1, 2, 1});
  near(reference::convolve(in, k, Border::zero, 0, 1), {-13, -20, -17, -18, -24, -18, 13, 20, 17});
  near(reference::correlate(in, k, Border::zero, 0, 1), {13, 20, 17, 18, 24, 18, -13, -20, -17});
}

TEST_CASE("box, gaussian and gradients by hand") {
  const Image in = from(3, {0, 0, 0, 0, 9, 0, 0, 0, 0});
  near(reference::box(in, 1, Border::zero, 0), {1, 1, 1, 1, 1, 1, 1, 1, 1});
  near(reference::box(from(3, {3, 6, 9}), 1, Border::edge, 0), {4, 6, 8});
  // Far from a border a Gaussian of an impulse is the Gaussian itself.
  Image impulse(41, 41);
  impulse.at(20, 20) = 1;
  const Image g = reference::gaussian(impulse, 2, Border::edge, 0);
  const double pi = std::acos(-1.0);
  for (const auto& [dx, dy] : {std::pair{0, 0}, {1, 0}, {3, 4}, {5, 5}}) {
    CHECK(g.at(20 + dx, 20 + dy) == doctest::Approx(std::exp(-(dx * dx + dy * dy) / 8.0) / (8 * pi)).epsilon(1e-4));
  }
  const Image ramp = from(3, {0, 1, 2, 0, 1, 2, 0, 1, 2});
  const Kernel x = Kernel::parse("sobel_x"), y = Kernel::parse("sobel_y");
  CHECK(reference::gradient_magnitude(ramp, x, y, Border::edge).at(1, 1) == 8);
  CHECK(reference::gradient_direction(ramp, x, y, Border::edge).at(1, 1) == 0);
  const Image down = from(3, {0, 0, 0, 1, 1, 1, 2, 2, 2});
  CHECK(reference::gradient_direction(down, x, y, Border::edge).at(1, 1) == doctest::Approx(pi / 2));
}

TEST_CASE("point operations and gray by hand") {
  const Image in = from(5, {-1, 0, 0.25F, 1, 3});
  near(reference::clip(in, 0, 1), {0, 0, 0.25, 1, 1});
  near(reference::absolute(in), {1, 0, 0.25, 1, 3});
  near(reference::stretch(in, {}, {}, 0, 1, 0), {0, 0.25, 0.3125, 0.5, 1});
  near(reference::stretch(in, 0.0, 0.5, 10, 20, 0), {-10, 10, 15, 30, 70});
  near(reference::stretch(in, {}, {}, 0, 1, 25), {-1, 0, 0.25, 1, 3});  // ranks 1 and 3 of 0..4: from 0 to 1
  const Image rgb = from(1, {0.2F, 0.4F, 0.6F}, 3);
  CHECK(reference::gray(rgb, GrayBy::rec709).at(0, 0) == doctest::Approx(0.37192));
  CHECK(reference::gray(rgb, GrayBy::rec601).at(0, 0) == doctest::Approx(0.363));
  CHECK(reference::gray(rgb, GrayBy::rec2020).at(0, 0) == doctest::Approx(0.35932));
  CHECK(reference::gray(rgb, GrayBy::average).at(0, 0) == doctest::Approx(0.4));
}

TEST_CASE("frame by hand") {
  const Image in = from(3, {1, 2, 3, 4, 5, 6});
  near(reference::crop(in, {1, 0, 2, 2}), {2, 3, 5, 6});
  near(reference::pad(in, 1, 0, 0, 1, Border::edge, 0), {1, 1, 2, 3, 4, 4, 5, 6, 4, 4, 5, 6});
  near(reference::pad(in, 1, 1, 0, 0, Border::constant, 7), {7, 1, 2, 3, 7, 7, 4, 5, 6, 7});
  // Three columns into two: each result covers one and a half.
  near(reference::shrink(in, 2, 1), {((1 + 4) + (2 + 5) / 2.0) / 3, ((2 + 5) / 2.0 + (3 + 6)) / 3});
}

namespace {

// Levels 0..white_level in a row, as a file of whole levels gives them.
Image levels(const std::vector<std::uint8_t>& row, std::uint32_t white_level) {
  return from_interleaved(row.data(), static_cast<int>(row.size()), 1, 1, 0, white_level);
}

void near(const reference::Triple& color, const reference::Triple& expected, double within = 1e-5) {
  for (std::size_t i = 0; i < 3; ++i) CHECK(std::abs(color[i] - expected[i]) <= within);
}

const std::vector<WindowOffset> three_in_a_row = {{-1, 0}, {0, 0}, {1, 0}};

}  // namespace

TEST_CASE("ranks by hand") {
  const Image in = from(3, {3, 1, 2});
  near(reference::ranked(in, three_in_a_row, Border::edge, 0, [](const auto& sorted) { return sorted[1]; }), {3, 2, 2});
  near(reference::ranked(in, three_in_a_row, Border::constant, 9, [](const auto& sorted) { return sorted[2]; }),
       {9, 3, 9});
  // A NaN sorts above everything.
  near(reference::ranked(from(3, {3, std::nanf(""), 2}), three_in_a_row, Border::edge, 0,
                         [](const auto& sorted) { return sorted[0]; }),
       {3, 2, 2});
  near(reference::weighted_median(in, three_in_a_row, {1, 3, 1}, Border::edge, 0), {3, 1, 2});
  // 9 is the highest of its window; the samples between lowest and highest are three times 3. 2 and 3 are no extremes.
  const Image spike = reference::adaptive_median(from(5, {1, 2, 9, 3, 1}), 1, 0, Border::edge, 0);
  near(Image(spike.part({1, 0, 3, 1})), {2, 3, 3});
  // Within 6 of the median, 3, the spike stays.
  CHECK(reference::adaptive_median(from(5, {1, 2, 9, 3, 1}), 1, 6, Border::edge, 0).at(2, 0) == 9);
}

TEST_CASE("denoisers by hand") {
  // Of 0 and 1 the minimum of |u1 - u0| + (u0^2 + (u1 - 1)^2) / 2w has both moved by w, up to the middle.
  near(reference::total_variation(from(2, {0, 1}), 0.2, 4000, false), {0.2, 0.8});
  near(reference::total_variation(from(2, {0, 1}), 0.9, 4000, false), {0.5, 0.5});
  // Two edges of length 1, and one sample that is 1 off: 2 + 1 / (2 * 0.25).
  CHECK(reference::total_variation_objective(from(2, {0, 1, 0, 0}), Image(2, 2), 0.25, false) == doctest::Approx(4));
  // Around the 0: five zeros and the pixel itself of weight 1, three ones of weight exp(-(1 - 2 / 4) / (1 / 4)).
  near(reference::nonlocal_means(from(2, {0, 1}), 0, 1, 1, 0.5, Border::edge), {0.0633790, 0.9366210});
  // One block alone, 0.5 + 0.2 cos(pi (x + 0.5) / 4): its only other coefficient is 0.2 sqrt(8), which stays above 2.7
  // deviations of 0.2 and is then weighed by 0.32 / (0.32 + 0.04), and falls below those of 0.21.
  std::vector<float> wave;
  std::vector<double> weighed;
  for (int i = 0; i < 16; ++i) {
    const double c = std::cos(std::numbers::pi * (i % 4 + 0.5) / 4);
    wave.push_back(static_cast<float>(0.5 + 0.2 * c));
    weighed.push_back(0.5 + 0.2 * c * 8 / 9);
  }
  const reference::BlockGroups one{.side = 4, .most = 1, .search = 0, .unlike = 1};
  near(reference::block_matching(from(4, wave), reference::white_noise_powers(1, 0.2), one, one), weighed);
  near(reference::block_matching(from(4, wave), reference::white_noise_powers(1, 0.21), one, one),
       std::vector<double>(16, 0.5));
  // Given back whole, with half of 0.2 left: its form of mean square 0.02 is drawn to 1 - 0.01 / 0.02 of itself.
  const std::vector<reference::SingularRound> back{{one, 1}};
  std::vector<double> drawn;
  for (const float v : wave) drawn.push_back(0.5 + (static_cast<double>(v) - 0.5) / 2);
  near(reference::block_matching(from(4, wave), reference::white_noise_powers(1, 0.2), one, one, back), drawn);
  // White noise has the same power everywhere.
  const Image level = map_samples(Image(128, 128), [](float) { return 0.5F; });
  double mean = 0;
  const reference::BlockNoisePowers powers = reference::noise_powers(GaussianNoise{.deviation = 0.1F}(level), false);
  for (const double p : powers[0]) mean += p / 64;
  CHECK(mean == doctest::Approx(0.01).epsilon(0.05));
  // Three equal rows: two zeros of weights 1 and e^-1/2, a one of weight e^-1/2 e^-1/2.
  near(reference::bilateral(from(2, {0, 1}), 1, 1, 1, Border::edge), {0.1863237, 0.8136763});
  // In a row of three that wraps every window holds all: mean 1, variance 2/3.
  const Image row = from(3, {0, 1, 2});
  const double third = std::sqrt(1.0 / 3);
  near(reference::guided(row, row, 1, third, Border::wrap), {1.0 / 3, 1, 5.0 / 3});
  near(reference::adaptive_wiener(row, 1, third, Border::wrap), {0.5, 1, 1.5});
  near(reference::adaptive_wiener(row, 1, 2, Border::wrap), {1, 1, 1});
  near(reference::lee(row, 1, third, Border::wrap), {0.5, 1, 1.5});
  // A quarter of what flows: 1 / 4, or half of it where the conductance of a difference of 1 is 1 / 2.
  near(reference::diffusion(from(3, {0, 0, 1}), 1, 0.25, [](double) { return 1.0; }), {0, 0.25, 0.75});
  near(reference::diffusion(from(3, {0, 0, 1}), 1, 0.25, [](double d) { return 1 / (1 + d * d); }), {0, 0.125, 0.875});
}

TEST_CASE("light by hand") {
  // Divisors 2 and 4, mean 3.
  near(reference::flat_field(from(2, {2, 3}), from(2, {2, 5}), from(2, {0, 1}), 0.01), {3, 1.5});
  // A divisor of 0 is held at a tenth of the mean of 0 and 2.
  near(reference::flat_field(from(2, {1, 3}), from(2, {0, 2}), ConstView{}, 0.1), {10, 1.5});
  Image plane(30, 24);
  for (int y = 0; y < 24; ++y) {
    for (int x = 0; x < 30; ++x) plane.at(x, y) = 0.1F + 0.02F * static_cast<float>(x) - 0.003F * static_cast<float>(y);
  }
  for (const int degree : {1, 2, 3})
    CHECK(test::deviation(reference::polynomial_background(plane, degree), plane) < 1e-6);
  // The logarithms of 0.1 and 0.4 lie ln 2 off their mean, ln 0.2: twice that is a factor of 4 either way.
  near(reference::homomorphic(from(2, {0.1F, 0.4F}), 2, 2, 0.1, 1e-4), {0.05, 0.8});
  near(reference::homomorphic(from(2, {0.25F, 0.25F}), 0.5, 2, 0.1, 1e-4), {0.25, 0.25});
}

TEST_CASE("matrices by hand") {
  near(reference::low_rank(from(2, {1, 2, 2, 4}), 1), {1, 2, 2, 4});
  near(reference::low_rank(from(2, {3, 0, 0, 1}), 1), {3, 0, 0, 0});
  // Singular values 4 and 2 along the diagonals.
  near(reference::low_rank(from(2, {3, 1, 1, 3}), 1), {2, 2, 2, 2});
  // Rows of mean 0 along two axes with 1 and 0.04 parts of the variance.
  const Image rows = from(2, {1, 0, -1, 0, 0, 0.2F, 0, -0.2F});
  near(reference::principal(rows, 0, 1), {1, 0, -1, 0, 0, 0, 0, 0});
  near(reference::principal(rows, 0, 9, 0.96), {1, 0, -1, 0, 0, 0, 0, 0});
  near(reference::principal(rows, 0, 1, 0.97), {1, 0, -1, 0, 0, 0.2, 0, -0.2});
  // Two patches of 2x2: of one component both are kept.
  near(reference::principal(from(4, {0, 0, 1, 1, 0, 0, 1, 1}), 2, 1), {0, 0, 1, 1, 0, 0, 1, 1});
}

TEST_CASE("measures by hand: noise of a checkerboard, one wave") {
  Image board(16, 16), wave(64, 48);
  for (int y = 0; y < 16; ++y) {
    for (int x = 0; x < 16; ++x) board.at(x, y) = (x + y) % 2 == 0 ? 0.1F : -0.1F;
  }
  // The mask answers 16 times 0.1 to it at 196 of the 256 places.
  CHECK(reference::noise_level(board) == doctest::Approx(1.6 / (6 * 0.6745)));
  CHECK(reference::noise_level(Image(5, 5)) == 0);
  for (int y = 0; y < 48; ++y) {
    for (int x = 0; x < 64; ++x)
      wave.at(x, y) = 0.5F + 0.2F * static_cast<float>(std::sin(2 * std::acos(-1.0) * (6 * x / 64.0 + 12 * y / 48.0)));
  }
  const auto found = reference::find_periodic_noise(wave, 4);
  REQUIRE(found.size() == 1);
  CHECK(found[0].fx == doctest::Approx(6.0 / 64).epsilon(0.01));
  CHECK(found[0].fy == doctest::Approx(0.25).epsilon(0.01));
  CHECK(found[0].amplitude == doctest::Approx(0.2).epsilon(0.03));
  CHECK(reference::find_periodic_noise(test::noise(64, 48), 4).empty());
}

TEST_CASE("the taper by hand") {
  // Worked out apart, with sums over the 12x10 frame: the first two rows of it.
  const Image frame = reference::tapered(from(3, {1, 0, 0.5}), Kernel(3, 1, {1, 1, 1}));
  REQUIRE(frame.shape() == Shape{12, 10, 1});
  near(Image(frame.view().part({0, 0, 12, 2})),
       {1,        0,        0.5,      0.281199, 0.633482, 0.532383, 0.777242, 0.987646,
        0.556108, 0.317298, 0.715275, 0.721399, 0.745074, 0.458332, 0.298524, 0.313689,
        0.434919, 0.640418, 0.824834, 0.871441, 0.606621, 0.421498, 0.516912, 0.761138});
  const Image even = reference::tapered(from(2, {0.25, 0.25, 0.25, 0.25}), Kernel::disk(3));
  CHECK(deviation(even, map_samples(even, [](float) { return 0.25F; })) < 1e-6);
}

TEST_CASE("gains by hand") {
  const Image gains = from(4, {1, 2, 3, 4, 5, 6, 7, 8});
  // The middle is the sample (2, 1); half of the way to the side at the left is (1, 1), whose mirror point is (3, 1).
  CHECK(reference::transfer_gain(gains, 0, 0) == doctest::Approx(7));
  CHECK(reference::transfer_gain(gains, -0.25, 0) == doctest::Approx((6 + 8) / 2.0));
  CHECK(reference::transfer_gain(gains, -0.125, -0.25) == doctest::Approx(((2.5 + 6.5) / 2 + 7.5) / 2));
  CHECK(reference::transfer_gain(gains, 0.5, 0) == doctest::Approx((8 + 5) / 2.0));
}

TEST_CASE("colors as they are printed") {
  CHECK(reference::to_light(0.5) == doctest::Approx(0.21404114));
  CHECK(reference::to_light(0.04) == doctest::Approx(0.0030959752));
  CHECK(reference::to_light(-0.5) == doctest::Approx(-0.21404114));
  CHECK(reference::from_light(0.21404114) == doctest::Approx(0.5));
  CHECK(reference::from_light(0.001) == doctest::Approx(0.01292));
  // CSS Color Level 4, sample values of the primaries.
  for (const auto& [rgb, lab] : {std::pair{reference::Triple{1, 1, 1}, reference::Triple{1, 0, 0}},
                                 {{1, 0, 0}, {0.62796, 0.22486, 0.12585}},
                                 {{0, 1, 0}, {0.86644, -0.23389, 0.17950}},
                                 {{0, 0, 1}, {0.45201, -0.03246, -0.31153}}}) {
    near(reference::to_oklab(rgb), lab, 2e-5);
    near(reference::from_oklab(lab), rgb, 2e-4);
  }
  near(reference::to_hsv({0.5, 0.25, 0.25}), {0, 0.5, 0.5});
  near(reference::to_hsv({0, 0.8, 0}), {1.0 / 3, 1, 0.8});
  near(reference::from_hsv({2.0 / 3, 1, 1}), {0, 0, 1});
  near(reference::from_hsv({1.0 / 12, 0.5, 0.8}), {0.8, 0.6, 0.4});
  // The luma of 0.4, 0.2, 0.2 is 0.24252: half of it halves all, half of the way to white leaves half of what is
  // missing.
  near(reference::relight({0.4, 0.2, 0.2}, 0.24252, 0.12126), {0.2, 0.1, 0.1});
  near(reference::relight({0.4, 0.2, 0.2}, 0.24252, 0.62126), {0.7, 0.6, 0.6});
  near(reference::map_levels(from(3, {-1, 0.5F, 2}), [](double v) { return v * v; }), {1, 0.25, 4});
  const Image swapped = reference::map_colors(from(1, {0.1F, 0.2F, 0.3F}, 3), [](const reference::Triple& c) {
    return reference::Triple{c[2], c[1], 2 * c[0]};
  });
  CHECK(samples(swapped, 0)[0] == 0.3F);
  CHECK(samples(swapped, 2)[0] == 0.2F);
}

TEST_CASE("histogram methods by hand") {
  // Shares of 5, 6, 7 and 8 eighths, times 3: 1.875, 2.25, 2.625 and 3.
  near(reference::equalize(levels({0, 0, 0, 0, 0, 1, 2, 3}, 3), 4, false),
       {2.0 / 3, 2.0 / 3, 2.0 / 3, 2.0 / 3, 2.0 / 3, 2.0 / 3, 1, 1});
  // One tile, four bins of 2, 0, 1 and 1 samples: the curve goes through 0, 0.5, 0.5, 0.75 and 1. Held at one sample a
  // bin, what is over fills the empty one, and the curve is straight.
  const Image four = from(4, {0.1F, 0.1F, 0.6F, 0.9F});
  near(reference::clahe(four, 1, 1, 4, 4, 1, false), {0.2, 0.2, 0.6, 0.9});
  near(reference::clahe(four, 1, 1, 1, 4, 1, false), {0.1, 0.1, 0.6, 0.9});
  near(reference::clahe(four, 1, 1, 4, 4, 0.5, false), {0.15, 0.15, 0.6, 0.9});
  const Image steps = levels({0, 1, 2, 3}, 3);
  near(reference::match(steps, levels({2, 2, 2, 2}, 3), false, 256), {2.0 / 3, 2.0 / 3, 2.0 / 3, 2.0 / 3});
  near(reference::match(steps, levels({3, 0, 2, 1}, 3), false, 256), {0, 1.0 / 3, 2.0 / 3, 1});
  // The middle of each level's shares: a quarter and three quarters of the way, squared.
  near(reference::match_distribution(
           levels({0, 0, 1, 1}, 1), [](double p) { return p * p; }, false, 256),
       {0.0625, 0.0625, 0.5625, 0.5625});
  near(reference::threshold(from(3, {0.4F, 0.5F, 0.6F}), 0.5), {0, 0, 1});
  near(reference::threshold(from(5, {0.1F, 0.15F, 0.8F, 0.85F, 0.9F}), {}), {0, 0, 1, 1, 1});
  // Means of 4/3, 2 and 8/3.
  near(reference::local_threshold(from(3, {1, 2, 3}), 1, 0, Border::edge), {0, 0, 1});
  near(reference::local_threshold(from(3, {1, 2, 3}), 1, 0.5, Border::edge), {1, 1, 1});
}
