#include "support.hpp"

#include <algorithm>
#include <numeric>

using namespace sieve;

namespace {

Image flat(int w, int h, float v, int channels = 1) {
  return map_samples(Image(w, h, channels), [v](float) { return v; });
}

struct Moments {
  double mean, variance;
};
Moments moments(const Image& image) {
  const ChannelStatistics s = statistics(image)[0];
  return {s.mean, s.deviation * s.deviation};
}

double share(const Image& image, float v) {
  int n = 0;
  for (int y = 0; y < image.height(); ++y)
    n += static_cast<int>(std::count(image.row(y), image.row(y) + image.width(), v));
  return static_cast<double>(n) / static_cast<double>(image.shape().pixels());
}

}  // namespace

TEST_CASE("noise has its mean, variance and shares, within five standard errors") {
  constexpr int side = 700;
  constexpr double n = side * side;
  const Image gray = flat(side, side, 0.4F);
  const auto near = [&](const Image& noisy, double mean, double variance, double fourth) {
    const Moments m = moments(noisy);
    CHECK(std::abs(m.mean - mean) < 5 * std::sqrt(variance / n));
    CHECK(std::abs(m.variance - variance) < 5 * std::sqrt((fourth - variance * variance) / n));
  };
  near(GaussianNoise{.deviation = 0.1F, .seed = 3}(gray), 0.4, 0.01, 3e-4);
  near(UniformNoise{.amplitude = 0.3F, .seed = 4}(gray), 0.4, 0.03, 0.3 * 0.3 * 0.3 * 0.3 / 5);
  near(SpeckleNoise{.deviation = 0.5F, .seed = 5}(gray), 0.4, 0.04, 3 * 0.04 * 0.04);
  for (const float photons : {2.0F, 20.0F, 100.0F, 10000.0F}) {  // both ways of counting
    const double mean = 0.4 * photons, k = photons;
    CAPTURE(photons);
    near(PoissonNoise{.photons = photons, .seed = 6}(gray), 0.4, mean / (k * k),
         mean * (1 + 3 * mean) / (k * k * k * k));
  }
  const Image impulses = ImpulseNoise{.dark = 0.07F, .bright = 0.02F, .seed = 7}(gray);
  CHECK(std::abs(share(impulses, 0) - 0.07) < 5 * std::sqrt(0.07 * 0.93 / n));
  CHECK(std::abs(share(impulses, 1) - 0.02) < 5 * std::sqrt(0.02 * 0.98 / n));
  CHECK(share(impulses, 0.4F) > 0.9);
  // A small Poisson mean against its own distribution: P(0) and P(1).
  const Image few = PoissonNoise{.photons = 1, .seed = 8}(gray);
  CHECK(std::abs(share(few, 0) - std::exp(-0.4)) < 5 * std::sqrt(0.67 * 0.33 / n));
  CHECK(std::abs(share(few, 1) - 0.4 * std::exp(-0.4)) < 5 * std::sqrt(0.27 * 0.73 / n));
}

TEST_CASE("the same seed gives the same noise with any number of threads; channels and seeds differ; alpha is kept") {
  const Image in = test::noise(600, 400, 4);
  for (const char* text : {"gaussian_noise seed=5", "uniform_noise", "impulse_noise", "poisson_noise photons=30",
                           "speckle_noise", "dead_lines share=0.1"}) {
    CAPTURE(text);
    const Chain chain = Chain::parse(text);
    set_threads(1);
    const Image one = chain(in);
    set_threads(0);
    const Image many = chain(in);
    CHECK(identical(one, many));
    CHECK(identical(many.view().channel(3), in.view().channel(3)));
    CHECK_FALSE(identical(
        many, Chain::parse(std::string(text).find("seed") == std::string::npos ? std::string(text) + " seed=6"
                                                                               : "gaussian_noise seed=6")(in)));
  }
  // Grain that hangs together is the sum of white noise under a Gaussian, at the borders as inside.
  for (const float sigma : {0.3F, 0.7F, 2.0F, 6.0F})
    test::check_as_defined(GaussianNoise{.deviation = 0.1F, .sigma = sigma, .seed = 4}, test::noise(61, 47, 4));
  const Image gray = GaussianNoise{}(flat(50, 50, 0.5F, 3));
  CHECK_FALSE(identical(gray.view().channel(0), gray.view().channel(1)));
}

TEST_CASE("faults follow their rule") {
  const Image in = flat(60, 40, 0.5F);
  const Image hum = PeriodicNoise{.angle = 0, .period = 12, .amplitude = 0.2F, .phase = 30}(in);
  const double pi = std::acos(-1.0);
  for (int x = 0; x < 60; ++x) CHECK(hum.at(x, 11) == doctest::Approx(0.5 + 0.2 * std::sin(2 * pi * x / 12 + pi / 6)));
  const Image rows = DeadLines{.along = DeadLines::Along::rows, .share = 0.3F, .level = 0.9F}(in);
  for (int y = 0; y < 40; ++y) CHECK(std::count(rows.row(y), rows.row(y) + 60, rows.at(0, y)) == 60);
  CHECK(share(rows, 0.9F) > 0.05);
  CHECK(Quantize{.bits = 2}(flat(2, 2, 0.5F)).at(0, 0) == doctest::Approx(2.0 / 3));  // half goes away from zero
  CHECK(Quantize{.bits = 1}(flat(2, 2, 1.7F)).at(0, 0) == 1);
  const Image vignette = Vignette{.strength = 0.4F}(flat(41, 31, 1));
  CHECK(vignette.at(20, 15) == 1);
  CHECK(vignette.at(0, 0) == doctest::Approx(0.6));
}

TEST_CASE("blur keeps the light, whatever the PSF's sum; a point becomes the PSF") {
  Image point(31, 31);
  point.at(15, 15) = 1;
  for (const Kernel& psf :
       {Kernel::disk(3.5), Kernel::motion(9, 30), Kernel::gaussian(1.2), Kernel::parse("1,2,1/2,4,2/1,2,1")}) {
    const Image out = Blur{.psf = psf}(point);
    double sum = 0;
    for (int y = 0; y < 31; ++y) sum = std::accumulate(out.row(y), out.row(y) + 31, sum);
    CHECK(sum == doctest::Approx(1).epsilon(1e-5));
    CHECK(out.at(15 + 1, 15) == doctest::Approx(psf.at(psf.anchor_x() + 1, psf.anchor_y()) / psf.sum()).epsilon(1e-5));
  }
  CHECK_THROWS_AS((Blur{.psf = Kernel::parse("laplacian")}(point)), InvalidArgument);
  // A disk of radius 1 holds five pixels; a level motion is a row; 90 degrees is a column, 45 rises to the right.
  CHECK(Kernel::disk(1).at(1, 0) == doctest::Approx(0.2));
  CHECK(Kernel::disk(1).at(0, 0) == 0);
  const Kernel level = Kernel::motion(5, 0), rising = Kernel::motion(9, 45);
  CHECK(level.at(level.anchor_x() + 1, level.anchor_y()) > 0.15);
  CHECK(level.at(level.anchor_x(), level.anchor_y() + 1) == doctest::Approx(0).epsilon(1e-9));
  CHECK(rising.at(rising.anchor_x() + 2, rising.anchor_y() - 2) > 0.03);
  CHECK(rising.at(rising.anchor_x() + 2, rising.anchor_y() + 2) == 0);
}

TEST_CASE("arithmetic with a second picture") {
  const Image a = test::noise(20, 10, 3), b = test::noise(20, 10, 3, 2);
  const auto at = [&](const Image& r) { return r.at(7, 3, 1); };
  const float p = at(a), q = at(b);
  CHECK(at(Add{b}(a)) == p + q);
  CHECK(at(Subtract{b}(a)) == p - q);
  CHECK(at(Multiply{b}(a)) == p * q);
  CHECK(at(Divide{b}(a)) == p / q);
  CHECK(at(Blend{b, 0.25F}(a)) == doctest::Approx(0.75 * p + 0.25 * q));
  CHECK(at(AbsoluteDifference{b}(a)) == std::fabs(p - q));
  Image zero(20, 10, 3);
  CHECK(at(Divide{zero, 0.5F}(a)) == p / 0.5F);  // protected
  CHECK_THROWS_WITH_AS(Add{}(a), doctest::Contains("with= is missing"), InvalidArgument);
  CHECK_THROWS_AS(Add{test::noise(19, 10)}(a), InvalidArgument);
}

TEST_CASE("a chain within a rectangle or a mask leaves the rest as it was") {
  const Image in = test::noise(40, 30, 4), all = Gaussian{.sigma = 2}(in);
  Image mask(40, 30);
  mask.at(5, 5) = 1;
  mask.at(6, 5) = 0.5F;
  const Resources files{[&](const std::string& name) {
                          CHECK(name == "m.png");
                          return mask;
                        },
                        {}};
  const Chain chain =
      Chain::parse("within part=10,8,12,9 then gaussian sigma=2 then end then clip", Catalogue::standard(), files);
  const Image out = chain(in);
  CHECK(out.at(10, 8, 1) == Clip{}(all).at(10, 8, 1));
  CHECK(out.at(9, 8, 1) == Clip{}(in).at(9, 8, 1));
  CHECK(out.at(22, 8, 1) == Clip{}(in).at(22, 8, 1));
  CHECK(Chain::parse(chain.text()).text() == chain.text());
  const Image soft = Chain::parse("within mask=m.png then gaussian sigma=2", Catalogue::standard(), files)(in);
  CHECK(soft.at(5, 5) == doctest::Approx(all.at(5, 5)));
  CHECK(soft.at(6, 5) == doctest::Approx(0.5 * (all.at(6, 5) + in.at(6, 5))));
  CHECK(soft.at(7, 5) == in.at(7, 5));
  for (const char* wrong : {"within part=1,2,3 then clip", "within part=1,2,3,4 then end", "end", "clip then end",
                            "within", "clip then within part=1,2,3,4", "within part=1,2,3,4 then clip then end clip"}) {
    CAPTURE(wrong);
    CHECK_THROWS_AS(Chain::parse(wrong), InvalidArgument);
  }
  CHECK_THROWS_AS(Chain::parse("within part=30,20,20,20 then clip")(in), InvalidArgument);
  const Chain masked = Chain::parse("within mask=m.png then clip", Catalogue::standard(), files);
  CHECK_THROWS_WITH_AS(masked(test::noise(41, 30)), doctest::Contains("needed is a gray one of 41x30"),
                       InvalidArgument);
  CHECK_THROWS_AS(Chain::parse("within part=0,0,9,9 then shrink")(in), InvalidArgument);
}

TEST_CASE("damage out of its range is refused; damage of nought changes nothing") {
  const Image in = test::noise(30, 20, 3);
  for (const char* text : {"gaussian_noise deviation=0", "uniform_noise amplitude=0", "impulse_noise dark=0 bright=0",
                           "speckle_noise deviation=0", "periodic_noise amplitude=0", "dead_lines share=0",
                           "vignette strength=0", "blur psf=identity", "blend with=x share=0"}) {
    CAPTURE(text);
    const Resources second{[&](const std::string&) { return Image(30, 20, 3); }, {}};
    CHECK(test::deviation(Chain::parse(text, Catalogue::standard(), second)(in), in) < 1e-7);
  }
  for (const char* text :
       {"gaussian_noise deviation=-1", "impulse_noise dark=1.5", "poisson_noise photons=0", "periodic_noise period=0",
        "dead_lines along=sideways", "quantize bits=0", "quantize bits=17", "vignette strength=2",
        "blur psf=disk:radius=-1", "blur psf=motion:length=0.5", "gaussian_noise seed=-3", "gaussian_noise seed=1.5"}) {
    CAPTURE(text);
    CHECK_THROWS_AS(Chain::parse(text), InvalidArgument);
  }
  CHECK_THROWS_AS((ImpulseNoise{.dark = 0.6F, .bright = 0.6F}(in)), InvalidArgument);
  CHECK(share(ImpulseNoise{.dark = 1, .bright = 0}(flat(9, 9, 0.5F)), 0) == 1);
  CHECK(share(DeadLines{.share = 1, .level = 0.25F}(flat(9, 9, 0.5F)), 0.25F) == 1);
  // NaN stays NaN and does not reach its neighbors.
  Image odd = flat(9, 9, 0.5F);
  odd.at(4, 4) = std::nanf("");
  for (const char* text :
       {"gaussian_noise", "poisson_noise", "speckle_noise", "quantize", "vignette", "periodic_noise"}) {
    CAPTURE(text);
    const Image out = Chain::parse(text)(odd);
    CHECK(std::isnan(out.at(4, 4)));
    CHECK(std::isfinite(out.at(3, 4)));
  }
}

TEST_CASE("quantization of every depth: as many levels as it says, each sample to the nearest") {
  Image ramp(4001, 1);
  for (int x = 0; x <= 4000; ++x) ramp.at(x, 0) = static_cast<float>(x) / 4000;
  for (int bits = 1; bits <= 9; ++bits) {
    CAPTURE(bits);
    const Image out = Quantize{.bits = bits}(ramp);
    const double step = 1.0 / ((1 << bits) - 1);
    int levels = 1;
    for (int x = 1; x <= 4000; ++x) {
      levels += out.at(x, 0) != out.at(x - 1, 0);
      CHECK(std::abs(out.at(x, 0) - ramp.at(x, 0)) <= step / 2 + 1e-6);
    }
    CHECK(levels == 1 << bits);
  }
}
