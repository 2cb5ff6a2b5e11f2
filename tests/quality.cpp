#include "support.hpp"

using namespace sieve;
using test::noise;

namespace {

// The paper's formula, window by window in double.
double plain_ssim(const Image& a, const Image& b, int channel) {
  double w[11][11], total = 0, sum = 0;
  for (int j = 0; j < 11; ++j) {
    for (int i = 0; i < 11; ++i)
      total += w[j][i] = std::exp(-((i - 5) * (i - 5) + (j - 5) * (j - 5)) / (2 * 1.5 * 1.5));
  }
  int places = 0;
  for (int y = 5; y < a.height() - 5; ++y) {
    for (int x = 5; x < a.width() - 5; ++x, ++places) {
      double ma = 0, mb = 0, va = 0, vb = 0, cov = 0;
      for (int j = 0; j < 11; ++j) {
        for (int i = 0; i < 11; ++i) {
          ma += w[j][i] / total * a.at(x + i - 5, y + j - 5, channel);
          mb += w[j][i] / total * b.at(x + i - 5, y + j - 5, channel);
        }
      }
      for (int j = 0; j < 11; ++j) {
        for (int i = 0; i < 11; ++i) {
          const double p = a.at(x + i - 5, y + j - 5, channel) - ma, q = b.at(x + i - 5, y + j - 5, channel) - mb;
          va += w[j][i] / total * p * p;
          vb += w[j][i] / total * q * q;
          cov += w[j][i] / total * p * q;
        }
      }
      sum += (2 * ma * mb + 1e-4) * (2 * cov + 9e-4) / ((ma * ma + mb * mb + 1e-4) * (va + vb + 9e-4));
    }
  }
  return sum / places;
}

}  // namespace

TEST_CASE("figures worked out by hand on a tiny picture") {
  Image a(2, 2), b(2, 2);
  a.at(0, 0) = 0.1F;
  a.at(1, 0) = 0.5F;
  b.at(1, 0) = 0.2F;
  b.at(0, 1) = 0.4F;
  const Comparison q = compare(a, b);  // differences 0.1, 0.3, -0.4, 0
  CHECK(q.mse == doctest::Approx((0.01 + 0.09 + 0.16) / 4));
  CHECK(q.mae == doctest::Approx(0.2));
  CHECK(q.psnr == doctest::Approx(10 * std::log10(1 / 0.065)));
  CHECK(compare(a, b, 2).psnr == doctest::Approx(10 * std::log10(4 / 0.065)));
  CHECK(q.maximum_deviation == doctest::Approx(0.4));
  CHECK(q.x == 0);
  CHECK(q.y == 1);
  CHECK(q.changed == 0.75);
  CHECK(difference(a, b).at(0, 1) == -0.4F);
  CHECK(std::isinf(compare(a, a).psnr));
  CHECK(psnr(a, b, 2) == compare(a, b, 2).psnr);
  CHECK_THROWS_AS((void)psnr(a, b, 0), InvalidArgument);
  CHECK(compare(a, a).ssim == doctest::Approx(1));
  CHECK(compare(a, a).changed == 0);
  a.at(1, 1) = std::nanf("");
  CHECK(compare(a, b).not_finite == 1);
  CHECK(compare(a, b).mae == doctest::Approx(0.8 / 3));
  CHECK_THROWS_AS(compare(a, Image(2, 3)), InvalidArgument);
  CHECK_THROWS_AS(compare(a, Image(2, 2, 3)), InvalidArgument);
  CHECK_THROWS_AS(compare(a, b, 0), InvalidArgument);
}

TEST_CASE("SSIM is the paper's, in one and in three channels, and falls with damage") {
  const Image a = Gaussian{.sigma = 1.5F}(noise(47, 31, 3)), b = GaussianNoise{.deviation = 0.1F}(a);
  double mean = 0;
  for (int c = 0; c < 3; ++c) {
    const double plain = plain_ssim(b, a, c);
    mean += plain / 3;
    CHECK(ssim(take_channel(b, c), take_channel(a, c)) == doctest::Approx(plain).epsilon(2e-5));
  }
  CHECK(ssim(b, a) == doctest::Approx(mean).epsilon(2e-5));
  CHECK(ssim(a, b) == doctest::Approx(ssim(b, a)));
  const Image map = ssim_map(b, a);
  CHECK(map.width() == 37);
  CHECK(statistics(map)[1].mean == doctest::Approx(plain_ssim(b, a, 1)).epsilon(2e-5));
  CHECK(ssim(GaussianNoise{.deviation = 0.3F}(a), a) < ssim(b, a));
  CHECK(ssim(Image(4, 3), Image(4, 3)) == doctest::Approx(1));  // smaller than the window
}

TEST_CASE("estimates without a truth follow the damage that was done") {
  const Image smooth = Gaussian{.sigma = 6}(noise(400, 300, 1, 5));
  for (const float deviation : {0.01F, 0.05F, 0.15F}) {
    CHECK(noise_level(GaussianNoise{.deviation = deviation}(smooth)) == doctest::Approx(deviation).epsilon(0.05));
  }
  const ImpulseShare s = impulse_share(ImpulseNoise{.dark = 0.04F, .bright = 0.02F}(smooth));
  CHECK(s.dark == doctest::Approx(0.04).epsilon(0.15));
  CHECK(s.bright == doctest::Approx(0.02).epsilon(0.15));
  CHECK(impulse_share(smooth).dark + impulse_share(smooth).bright < 0.001);
  CHECK(sharpness(smooth) < sharpness(noise(400, 300, 1, 5)));
  // Three clear levels, one of them small, with grain.
  Image steps(300, 60);
  for (int y = 0; y < 60; ++y) {
    for (int x = 0; x < 300; ++x) steps.at(x, y) = x < 120 ? 0.2F : x < 260 ? 0.5F : 0.85F;
  }
  const auto peaks = histogram_peaks(histogram(GaussianNoise{.deviation = 0.03F}(steps), {.channel = 0, .bins = 256}));
  REQUIRE(peaks.size() == 3);
  CHECK(peaks[0].level == doctest::Approx(0.2).epsilon(0.05));
  CHECK(peaks[1].level == doctest::Approx(0.5).epsilon(0.03));
  CHECK(peaks[2].level == doctest::Approx(0.85).epsilon(0.03));
}

TEST_CASE("figures do not depend on the threads, alpha is left out, and scale with the peak") {
  const Image a = noise(300, 220, 4, 1), b = noise(300, 220, 4, 2);
  set_threads(1);
  const Comparison one = compare(a, b);
  set_threads(0);
  const Comparison many = compare(a, b);
  CHECK(one.mse == many.mse);
  CHECK(one.ssim == many.ssim);
  Image other_alpha = a;
  for (int y = 0; y < 220; ++y) std::fill_n(other_alpha.row(y, 3), 300, 9.0F);
  CHECK(compare(other_alpha, a).changed == 0);
  const auto by255 = [](const Image& v) { return map_samples(v, [](float s) { return 255 * s; }); };
  const Comparison scaled = compare(by255(a), by255(b), 255);
  CHECK(scaled.psnr == doctest::Approx(one.psnr).epsilon(1e-5));
  CHECK(scaled.ssim == doctest::Approx(one.ssim).epsilon(1e-4));
}

TEST_CASE("histogram peaks: none in nothing, one in a hill, two with a valley, the same for any number of bins") {
  Histogram empty;
  CHECK(histogram_peaks(empty).empty());
  empty.counts.assign(50, 0);
  CHECK(histogram_peaks(empty).empty());
  for (const int bins : {16, 64, 256, 1000}) {
    CAPTURE(bins);
    Histogram one, two;
    for (int i = 0; i < bins; ++i) {
      const double t = (i + 0.5) / bins;
      const auto hill = [t](double at, double width) {
        return 1e6 * std::exp(-0.5 * (t - at) * (t - at) / (width * width));
      };
      one.counts.push_back(static_cast<std::size_t>(hill(0.4, 0.1)));
      two.counts.push_back(static_cast<std::size_t>(hill(0.3, 0.05) + 0.4 * hill(0.75, 0.08)));
    }
    REQUIRE(histogram_peaks(one).size() == 1);
    CHECK(histogram_peaks(one)[0].level == doctest::Approx(0.4).epsilon(0.1));
    REQUIRE(histogram_peaks(two).size() == 2);
    CHECK(histogram_peaks(two)[1].level == doctest::Approx(0.75).epsilon(0.06));
  }
}

TEST_CASE("the blur of edges: what a Gaussian made of sharp ones, none without edges") {
  Image sharp(160, 120);
  for (int y = 0; y < 120; ++y) {
    for (int x = 0; x < 160; ++x) sharp.at(x, y) = (x / 40 + y / 30) % 2 == 0 ? 0.2F : 0.8F;
  }
  // The gradient itself smooths: that stands beside a narrow blur and vanishes beside a wide one.
  double before = edge_blur(sharp);
  CHECK(before < 0.9);
  for (const float sigma : {1.0F, 1.5F, 2.5F, 4.0F}) {
    CAPTURE(sigma);
    const double blur = edge_blur(Gaussian{.sigma = sigma}(sharp));
    CHECK(blur > before);
    if (sigma > 2) CHECK(blur == doctest::Approx(static_cast<double>(sigma)).epsilon(0.08));
    before = blur;
  }
  CHECK(edge_blur(Image(40, 40)) == 0);
}
