// The plain definitions themselves, against values worked out by hand: everything else is held against them.

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
