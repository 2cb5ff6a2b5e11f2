#include "sieve/spectral.hpp"

#include <numbers>

#include "sieve/filter.hpp"
#include "sieve/io.hpp"
#include "sieve/reference.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

constexpr double pi = std::numbers::pi;
constexpr std::pair<int, int> sizes[] = {{16, 12}, {15, 9}, {13, 17}, {1, 11}, {7, 1}, {1, 1}, {2, 2}, {3, 64}};

template <class F>
Image picture(int w, int h, F f) {
  Image image(w, h);
  for (int y = 0; y < h; ++y) {
    for (int x = 0; x < w; ++x) image.at(x, y) = static_cast<float>(f(x, y));
  }
  return image;
}

double mean_square(const Image& in) {
  double sum = 0;
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) sum += static_cast<double>(in.at(x, y)) * static_cast<double>(in.at(x, y));
  }
  return sum / static_cast<double>(in.shape().pixels());
}

}  // namespace

TEST_CASE("the spectrum is the defining sum at every size, and the picture comes back") {
  for (const auto& [w, h] : sizes) {
    CAPTURE(w);
    CAPTURE(h);
    const Image in = noise(w, h);
    const Spectrum s = spectrum(in);
    const DoubleSpectrum d = double_spectrum(in);
    const auto plain = reference::fourier(in);
    double single = 0, twice = 0, power = 0;
    for (int v = 0; v < h; ++v) {
      for (int u = 0; u < w; ++u) {
        const auto& f = plain[static_cast<std::size_t>(v * w + u)];
        single = std::max(single, std::abs(std::complex<double>(s.at(u, v)) - f));
        twice = std::max(twice, std::abs(d.at(u - w, v + 2 * h) - f));
        power += std::norm(f);
      }
    }
    CHECK(single < 1e-6);
    CHECK(twice < 1e-14);
    CHECK(power == doctest::Approx(mean_square(in)).epsilon(1e-6));  // Parseval
    CHECK(deviation(picture_of(s), in) < 1e-6);
    CHECK(deviation(picture_of(d), in) < 1e-7);
  }
  const Image large = noise(509, 263);  // primes
  CHECK(deviation(picture_of(spectrum(large)), large) < 3e-6);
  const Image color = noise(20, 10, 4);
  CHECK(std::abs(spectrum(color).at(0, 0) - static_cast<float>(statistics(to_gray(color))[0].mean)) < 1e-6);
  Image broken = noise(8, 8);
  broken.at(3, 2) = std::nanf("");
  CHECK_THROWS_WITH_AS(spectrum(broken), doctest::Contains("3,2"), InvalidArgument);
}

TEST_CASE("known pairs: impulse, constant, cosine, Gaussian, shift and product") {
  const Spectrum flat = spectrum(picture(12, 10, [](int, int) { return 0.75; }));
  Image one(12, 10);
  one.at(0, 0) = 1;
  const Spectrum impulse = spectrum(one);
  for (int v = 0; v < 10; ++v) {
    for (int u = 0; u < 12; ++u) {
      CHECK(std::abs(flat.at(u, v) - (u == 0 && v == 0 ? 0.75F : 0.0F)) < 1e-6);
      CHECK(std::abs(impulse.at(u, v) - 1.0F / 120) < 1e-7);
    }
  }
  const Spectrum wave = spectrum(
      picture(40, 30, [](int x, int y) { return 0.5 + 0.2 * std::cos(2 * pi * (3 * x / 40.0 + 4 * y / 30.0) + 0.7); }));
  CHECK(std::abs(wave.at(3, 4) - std::polar(0.1F, 0.7F)) < 1e-6);
  CHECK(std::abs(wave.at(-3, -4) - std::polar(0.1F, -0.7F)) < 1e-6);
  const FrequencyPoint p = probe(wave, 20 + 3, 15 + 4);
  CHECK(p.u == 3);
  CHECK(p.v == 4);
  CHECK(p.period == doctest::Approx(1 / std::hypot(3 / 40.0, 4 / 30.0)));
  CHECK(p.angle == doctest::Approx(std::atan2(4 / 30.0, 3 / 40.0) * 180 / pi));
  CHECK(p.amplitude == doctest::Approx(0.2));
  CHECK(p.rank == 2);
  const FrequencyPoint mirror = probe(wave, 37, 26, SpectrumOrigin::corner), zero = probe(wave, 20, 15);
  CHECK(mirror.u == -3);
  CHECK(mirror.v == -4);
  CHECK(mirror.rank == 2);
  CHECK(zero.rank == 1);
  CHECK(std::isinf(zero.period));
  CHECK(zero.amplitude == doctest::Approx(0.5));
  CHECK_THROWS_AS(probe(wave, 40, 0), InvalidArgument);
  // A Gaussian of deviation s has a Gaussian of deviation 1 / (2 pi s).
  const Spectrum hill = spectrum(picture(
      128, 128, [](int x, int y) { return std::exp(-(std::pow(x - 64, 2) + std::pow(y - 64, 2)) / (2 * 16.0)); }));
  for (const int u : {0, 3, 8, 12})
    CHECK(
        static_cast<double>(std::abs(hill.at(u, u))) ==
        doctest::Approx(2 * pi * 16 / 16384 * std::exp(-2 * 16 * pi * pi * 2 * std::pow(u / 128.0, 2))).epsilon(1e-3));
  // A shift turns the phase.
  const Image in = noise(24, 18),
              moved = picture(24, 18, [&](int x, int y) { return in.at((x + 24 - 5) % 24, (y + 18 - 7) % 18); });
  const Spectrum a = spectrum(in), b = spectrum(moved);
  for (int u = 0; u < 24; ++u)
    CHECK(std::abs(b.at(u, 5) -
                   a.at(u, 5) * std::polar(1.0F, static_cast<float>(-2 * pi * (5 * u / 24.0 + 7 * 5 / 18.0)))) < 1e-6);
  // A product of a row and a column has the product of their spectra.
  const Image row = noise(24, 1), column = noise(1, 18);
  const Spectrum both = spectrum(picture(24, 18, [&](int x, int y) { return row.at(x, 0) * column.at(0, y); })),
                 across = spectrum(row), down = spectrum(column);
  for (int u = 0; u < 24; ++u) CHECK(std::abs(both.at(u, 4) - across.at(u, 0) * down.at(0, 4)) < 1e-6);
}

TEST_CASE("pictures of spectra, rings, windows, and what is set is set on both sides") {
  const Image in = noise(30, 21);
  const Spectrum s = spectrum(in);
  const Image log = spectrum_image(s), corner = spectrum_image(s, SpectrumShown::magnitude, SpectrumOrigin::corner),
              power = spectrum_image(s, SpectrumShown::power), phase = spectrum_image(s, SpectrumShown::phase);
  CHECK(log.at(15, 10) == 1);
  CHECK(corner.at(0, 0) == doctest::Approx(statistics(in)[0].mean));
  CHECK(power.at(17, 13) == doctest::Approx(std::norm(s.at(2, 3))));
  CHECK(phase.at(17, 13) == doctest::Approx(-phase.at(13, 7)));
  CHECK(spectrum_image(Spectrum(4, 4)).at(2, 2) == 0);
  Spectrum made(16, 9);
  made.set(3, -2, {0.5F, 0.25F});
  made.set(0, 0, {0.5F, 9.0F});
  CHECK(made.at(-3, 2) == std::complex<float>(0.5F, -0.25F));
  CHECK(made.at(0, 0) == std::complex<float>(0.5F, 0));
  const Image back = picture_of(made);
  CHECK(back.at(0, 0) == doctest::Approx(1.5));
  CHECK_THROWS_AS(Spectrum(0, 3), InvalidArgument);
  // White noise is alike in all rings; a wave is in its own.
  const Spectrum white = spectrum(GaussianNoise{.deviation = 0.1F}(Image(256, 256)));
  const auto rings = radial_power(white, 0.05);
  CHECK(rings.size() == 10);
  for (std::size_t i = 1; i < rings.size(); ++i) CHECK(rings[i] * 65536 == doctest::Approx(0.01).epsilon(0.06));
  CHECK_THROWS_AS(radial_power(white, 0), InvalidArgument);
  // A slope: the jump at the border makes a cross, which the periodic part and the windows do not have.
  const Image slope = picture(64, 48, [](int x, int y) { return x / 64.0 + 0.3 * y / 48; });
  const auto cross = [&](Taper t) { return std::abs(spectrum(slope, t).at(20, 0)); };
  for (const Taper t : {Taper::hann, Taper::tukey, Taper::periodic}) CHECK(cross(t) < 0.05F * cross(Taper::none));
  CHECK(deviation(periodic_part(picture(20, 30, [](int, int) { return 0.4; })),
                  picture(20, 30, [](int, int) { return 0.4; })) < 1e-6);
  CHECK(statistics(periodic_part(in))[0].mean == doctest::Approx(statistics(in)[0].mean).epsilon(1e-5));
}

TEST_CASE("filters multiply the spectrum; their gains are the formulas") {
  CHECK(LowPass{.cutoff = 0.1F}.gain(0.06, 0.08) == doctest::Approx(std::exp(-0.5)));
  CHECK(LowPass{.cutoff = 0.1F, .form = PassForm::butterworth, .order = 3}.gain(0, 0.2) ==
        doctest::Approx(1 / (1 + 64.0)));
  CHECK(LowPass{.cutoff = 0.1F, .form = PassForm::ideal}.gain(0.0999, 0) == 1);
  CHECK(LowPass{.cutoff = 0.1F, .form = PassForm::ideal}.gain(0.1001, 0) == 0);
  CHECK(HighPass{.cutoff = 0.1F}.gain(0, 0) == 0);
  CHECK(HighEmphasis{.cutoff = 0.1F, .keep = 0.5F, .boost = 2}.gain(5, 5) == doctest::Approx(2.5));
  for (const PassForm form : {PassForm::ideal, PassForm::butterworth, PassForm::gaussian}) {
    const BandStop stop{.low = 0.1F, .high = 0.2F, .form = form};
    CHECK(stop.gain(0.15, 0) == doctest::Approx(0));
    CHECK(stop.gain(0, 0) == 1);
    CHECK(BandPass{.low = 0.1F, .high = 0.2F, .form = form}.gain(0.03, 0.11) ==
          doctest::Approx(1 - stop.gain(0.03, 0.11)));
    CHECK(Notch{.points = {{{0.1, 0.2}}}, .width = 0.01F, .form = form}.gain(-0.1, -0.2) == doctest::Approx(0));
    CHECK(Notch{.points = {{{0.1, 0.2}}}, .width = 0.01F, .form = form, .pass = true}.gain(0.1, 0.2) ==
          doctest::Approx(1));
  }
  for (const auto& [w, h] : sizes) {
    CAPTURE(w);
    CAPTURE(h);
    const Image in = noise(w, h, w == 16 ? 3 : 1);
    for (const char* text :
         {"low_pass", "low_pass border=zero form=butterworth", "high_pass border=wrap form=ideal",
          "band_stop low=0.1 high=0.3", "notch points=0.1,0.3/0.25,-0.2 width=0.05",
          "notch points=0.2,0 border=wrap form=butterworth", "high_emphasis form=butterworth order=4"}) {
      CAPTURE(std::string(text));
      const Chain f = Chain::parse(text);
      test::check_as_defined(f, in);
    }
    const Image mine = filter_frequencies(
        in, [](double fx, double fy) { return 1 + fx * fy; }, Border::wrap);
    CHECK(deviation(mine, reference::filter_frequencies(
                              in, [](double fx, double fy) { return 1 + fx * fy; }, Border::wrap)) < 1e-5);
  }
  // Mirrored, nothing of the right border comes in at the left; wrapped, it does.
  const Image edge = picture(64, 32, [](int x, int) { return x < 32 ? 0.0 : 1.0; });
  CHECK(std::abs(LowPass{.cutoff = 0.05F}(edge).at(0, 16)) < 1e-3);
  CHECK(LowPass{.cutoff = 0.05F, .border = Border::wrap}(edge).at(0, 16) > 0.3);
  // Ideal rings, Gaussian does not.
  CHECK(statistics(LowPass{.cutoff = 0.1F, .form = PassForm::ideal}(edge))[0].maximum > 1.05);
  CHECK(statistics(LowPass{.cutoff = 0.1F}(edge))[0].maximum < 1.0001);
  CHECK(deviation(LowPass{.cutoff = 1 / (2 * static_cast<float>(pi) * 3)}(edge),
                  Gaussian{.sigma = 3, .border = Border::mirror}(edge)) < 1e-3);
  Image broken = noise(40, 30);
  broken.at(7, 9) = std::numeric_limits<float>::infinity();
  const Image after = HighPass{}(broken);
  CHECK(std::isinf(after.at(7, 9)));
  CHECK(std::isfinite(after.at(8, 9)));
  // A kernel and its transfer function do the same.
  const Kernel kernel = Kernel::parse("0.05,0.1,0.05/0.1,0.4,0.1/0.05,0.1,0.05");
  CHECK(std::abs(frequency_response(Kernel::parse("1,2,3"), 0.1, 0.3) -
                 (2.0 + std::polar(1.0, 2 * pi * 0.1) + 3.0 * std::polar(1.0, -2 * pi * 0.1))) < 1e-12);
  for (const Border border : {Border::wrap, Border::mirror}) {
    const Image by_kernel = Convolve{.kernel = kernel, .border = border}(edge),
                by_gain = filter_frequencies(
                    edge, [&](double fx, double fy) { return frequency_response(kernel, fx, fy).real(); }, border);
    CHECK(deviation(by_kernel, by_gain) < 1e-6);
  }
  // A transfer function as a picture.
  const Image gains = picture(64, 64, [](int x, int y) {
    return std::exp(-(std::pow((x - 32) / 64.0, 2) + std::pow((y - 32) / 64.0, 2)) / (2 * 0.04));
  });
  CHECK(deviation(Transfer{.with = gains}(edge), LowPass{.cutoff = 0.2F}(edge)) < 0.01);
  CHECK(Filter(LowPass{}).stages(edge).size() == 4);
  for (const char* text : {"band_stop low=0.3 high=0.1", "notch points=0.6,0", "notch points=a", "notch points=0.1",
                           "low_pass cutoff=0", "transfer"})
    CHECK_THROWS_AS(Chain::parse(text)(edge), InvalidArgument);
  CHECK_THROWS_WITH_AS(Transfer{.with = Image(8, 8, 3)}(edge), doctest::Contains("give a gray one"), InvalidArgument);
  CHECK_THROWS_WITH_AS(Notch{.points = {}}(edge), doctest::Contains("find_periodic_noise"), InvalidArgument);
  CHECK_THROWS_WITH_AS(filter_frequencies(
                           edge, [](double, double) { return 1.0; }, Border::edge),
                       doctest::Contains("give mirror, zero or wrap"), InvalidArgument);
}

TEST_CASE("waves are found where they are, and nowhere else; the demo's hum goes") {
  const Image clean = test::noon(), hum = io::read(test::data + "/hum.png").image;
  const auto waves = find_periodic_noise(hum);
  REQUIRE(waves.size() == 2);
  CHECK(waves[0].period == doctest::Approx(7.3).epsilon(0.001));
  CHECK(waves[0].angle == doctest::Approx(78).epsilon(0.001));
  CHECK(waves[0].amplitude == doctest::Approx(0.085).epsilon(0.05));
  CHECK(waves[1].amplitude == doctest::Approx(0.025).epsilon(0.1));
  CHECK(find_periodic_noise(hum, 1).size() == 1);
  for (const char* name : {"noon", "night", "fog", "lamp", "shaken", "dead_pixels", "chart", "out_of_focus"}) {
    CAPTURE(std::string(name));
    CHECK(find_periodic_noise(io::read(test::data + "/" + name + ".png").image).empty());
  }
  CHECK(find_periodic_noise(GaussianNoise{.deviation = 0.2F, .seed = 3}(Image(300, 200))).empty());
  CHECK(find_periodic_noise(noise(10, 10)).empty());
  const Image page = io::read(test::data + "/lamp.png").image,
              striped_page = PeriodicNoise{.angle = 20, .period = 9, .amplitude = 0.08F}(page);
  CHECK(find_periodic_noise(striped_page).size() == 1);
  CHECK(compare(RemovePeriodicNoise{}(striped_page), page).psnr > compare(striped_page, page).psnr + 10);
  CHECK(compare(RemovePeriodicNoise{}(hum), clean).psnr > compare(hum, clean).psnr + 10);
  CHECK(identical(RemovePeriodicNoise{}(clean), clean));
  // On and between the grid, weak under noise, at any angle, and of a strength that changes.
  for (const auto& [angle, period] :
       {std::pair{0.0F, 8.0F}, {90.0F, 5.3F}, {33.0F, 2.7F}, {120.0F, 20.0F}, {179.97F, 8.0F}}) {
    CAPTURE(angle);
    const Image noisy = GaussianNoise{.deviation = 0.05F, .seed = 9}(clean),
                striped = PeriodicNoise{.angle = angle, .period = period, .amplitude = 0.05F}(noisy);
    CHECK(compare(RemovePeriodicNoise{}(striped), noisy).psnr > compare(striped, noisy).psnr + 10);
    const auto found = find_periodic_noise(striped);
    REQUIRE(found.size() == 1);
    CHECK(found[0].fy >= 0);
  }
  const Image fading = map_pairs(
      clean,
      picture(clean.width(), clean.height(),
              [](int x, int y) { return 0.1 * (0.3 + 0.7 * x / 768) * std::sin(2 * pi * (0.11 * x + 0.07 * y)); }),
      [](float a, float b) { return a + b; });
  CHECK(compare(RemovePeriodicNoise{.blur = 40.0F}(fading), clean).psnr > compare(fading, clean).psnr + 8);
  // Each wave goes as its definition takes it off.
  const Image part = to_gray(clean.view().part({300, 120, 200, 150})),
              twice = PeriodicNoise{.angle = 20, .period = 5, .amplitude = 0.06F}(
                  PeriodicNoise{.angle = 100, .period = 7, .amplitude = 0.08F}(part));
  REQUIRE(find_periodic_noise(twice).size() == 2);
  test::check_as_defined(RemovePeriodicNoise{.blur = 8.0F}, twice);
  const test::Folder folder;
  CHECK(test::lsieve("apply " + test::data + "/hum.png " + (folder / "out.png") + " remove_periodic_noise --sheet " +
                     (folder / "sheet.png"))
            .code == 0);
  CHECK(compare(io::read(folder / "out.png").image, clean).psnr > 40);
}

TEST_CASE("cosine transform: the double sum, the known block, energy, and keeping") {
  // Wallace, "The JPEG still picture compression standard", 1991, figure 10.
  const int samples[8][8] = {{139, 144, 149, 153, 155, 155, 155, 155}, {144, 151, 153, 156, 159, 156, 156, 156},
                             {150, 155, 160, 163, 158, 156, 156, 156}, {159, 161, 162, 160, 160, 159, 159, 159},
                             {159, 160, 161, 162, 162, 155, 155, 155}, {161, 161, 161, 161, 160, 157, 157, 157},
                             {162, 162, 161, 163, 162, 157, 157, 157}, {162, 162, 161, 161, 163, 158, 158, 158}};
  const double known[8][8] = {
      {235.6, -1.0, -12.1, -5.2, 2.1, -1.7, -2.7, 1.3}, {-22.6, -17.5, -6.2, -3.2, -2.9, -0.1, 0.4, -1.2},
      {-10.9, -9.3, -1.6, 1.5, 0.2, -0.9, -0.6, -0.1},  {-7.1, -1.9, 0.2, 1.5, 0.9, -0.1, 0.0, 0.3},
      {-0.6, -0.8, 1.5, 1.6, -0.1, -0.7, 0.6, 1.3},     {1.8, -0.2, 1.6, -0.3, -0.8, 1.5, 1.0, -1.0},
      {-1.3, -0.4, -0.3, -1.5, -0.5, 1.7, 1.1, -0.8},   {-2.6, 1.6, -3.8, -1.8, 1.9, 1.2, -0.6, -0.4}};
  const Image block = picture(8, 8, [&](int x, int y) { return samples[y][x] - 128; });
  for (const int size : {0, 8}) {
    const Image c = cosine_forward(block, size);
    for (int y = 0; y < 8; ++y) {
      for (int x = 0; x < 8; ++x) CHECK(std::abs(static_cast<double>(c.at(x, y)) - known[y][x]) < 0.06);
    }
  }
  for (const auto& [w, h] : sizes) {
    CAPTURE(w);
    CAPTURE(h);
    const Image in = noise(w, h, w == 16 ? 4 : 1);
    for (const int size : {0, 1, 5, 8, 16}) {
      CAPTURE(size);
      const Image c = cosine_forward(in, size);
      CHECK(deviation(c, reference::cosine_forward(in, size)) < 5e-6);
      CHECK(deviation(cosine_inverse(c, size), in) < 5e-6);
      CHECK(deviation(reference::cosine_inverse(c, size), in) < 5e-6);
      if (in.channels() == 1) CHECK(mean_square(c) == doctest::Approx(mean_square(in)).epsilon(1e-5));
    }
  }
  const Image in = noise(203, 117);
  CHECK(cosine_forward(in).at(0, 0) == doctest::Approx(statistics(in)[0].mean * std::sqrt(203.0 * 117)).epsilon(1e-5));
  CHECK(deviation(cosine_inverse(cosine_forward(in, 8), 8), in) < 1e-6);
  // Everything kept is the picture; of one size the largest are never worse than the corner.
  CHECK(deviation(CosineTruncation{.side = 300}(in), in) < 5e-6);
  const Image view = test::noon();
  double before = 0;
  for (const int side : {16, 48, 128}) {
    const double largest = compare(CosineTruncation{.side = side}(view), view).psnr,
                 corner =
                     compare(CosineTruncation{.side = side, .which = CosineTruncation::Which::corner}(view), view).psnr;
    CHECK(largest > corner);
    CHECK(largest > before);
    before = largest;
  }
  const Image kept = cosine_forward(CosineTruncation{.side = 3, .block = 8}(noise(64, 64)), 8);
  int left = 0;
  for (int y = 0; y < 64; ++y) {
    for (int x = 0; x < 64; ++x) left += std::abs(kept.at(x, y)) > 1e-5F;
  }
  CHECK(left == 64 * 9);
  CHECK(statistics(coefficient_image(cosine_forward(to_gray(view))))[0].maximum == 1);
  const auto stages = Filter(CosineTruncation{.side = 20}).stages(view);
  REQUIRE(stages.size() == 3);
  CHECK(stages[2].image.shape() == Shape{20, 20, 3});
  CHECK_THROWS_AS(cosine_forward(in, 5000), InvalidArgument);
  CHECK_THROWS_AS(cosine_forward(Image()), InvalidArgument);
  Watch watch;
  watch.stop();
  const Watch::Active active(watch);
  CHECK_THROWS_AS(reference::cosine_forward(in, 0), Canceled);
}

TEST_CASE("the strongest coefficients: waves by their amplitude, with the axes or off them") {
  const auto wave = [](double u, double v, double a) {
    return [=](int x, int y) { return a * std::cos(2 * pi * (u * x / 48 + v * y / 36)); };
  };
  const auto upright = wave(6, 0, 0.3), lying = wave(0, 5, 0.2), slanted = wave(7, -4, 0.1),
             finest = wave(24, 18, 0.04);
  const Spectrum s = spectrum(
      picture(48, 36, [&](int x, int y) { return 0.5 + upright(x, y) + lying(x, y) + slanted(x, y) + finest(x, y); }));
  const auto all = strongest(s, 4);
  REQUIRE(all.size() == 4);
  const std::tuple<int, int, double> expected[] = {{6, 0, 0.3}, {0, 5, 0.2}, {7, -4, 0.1}, {24, 18, 0.04}};
  for (std::size_t i = 0; i < 4; ++i) {
    const auto [u, v, amplitude] = expected[i];
    CAPTURE(i);
    CHECK(std::pair(std::abs(all[i].u), std::abs(all[i].v)) == std::pair(u, std::abs(v)));
    CHECK(all[i].amplitude == doctest::Approx(amplitude).epsilon(1e-4));
    CHECK(all[i].rank == i + 2);  // the mean is the largest
  }
  CHECK(strongest(s, 2).size() == 2);
  const auto off = strongest_off_axes(s, 9);
  REQUIRE(off.size() >= 2);
  CHECK(off[0].amplitude == doctest::Approx(0.1).epsilon(1e-4));
  CHECK(off[1].amplitude == doctest::Approx(0.04).epsilon(1e-4));
  for (const FrequencyPoint& p : off) CHECK(std::min(std::abs(p.u), std::abs(p.v)) >= 2);
  CHECK(strongest(spectrum(Image(5, 4)), 3).empty());
}
