#include "sieve/wavelet.hpp"

#include <cstdint>

#include "sieve/reference.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

double worst(const WaveletBands& a, const WaveletBands& b) {
  double most = 0;
  const auto hold = [&](const Image& p, const Image& q) {
    most = std::max(most, p.empty() && q.empty() ? 0 : deviation(p, q));
  };
  for (std::size_t j = 0; j < a.levels.size(); ++j) {
    hold(a.levels[j].horizontal, b.levels[j].horizontal);
    hold(a.levels[j].vertical, b.levels[j].vertical);
    hold(a.levels[j].diagonal, b.levels[j].diagonal);
  }
  hold(a.approximation, b.approximation);
  return most;
}

double sum(const std::vector<double>& v) {
  double s = 0;
  for (const double x : v) s += x;
  return s;
}

}  // namespace

TEST_CASE("taps fulfill the equations that define each wavelet") {
  CHECK(ChoiceNames<Wavelet>::all().size() == 24);
  for (const auto& [name, w] : ChoiceNames<Wavelet>::all()) {
    CAPTURE(std::string(name));
    const WaveletTaps& t = taps_of(w);
    CHECK(sum(t.low) == doctest::Approx(std::sqrt(2)).epsilon(1e-12));
    CHECK(sum(t.low_back) == doctest::Approx(std::sqrt(2)).epsilon(1e-12));
    // Analysis and synthesis are biorthogonal at every even shift.
    const auto product = [](const std::vector<double>& a, int at_a, const std::vector<double>& b, int at_b, int shift) {
      double p = 0;
      for (int i = 0; i < static_cast<int>(a.size()); ++i) {
        const int j = i - at_a + at_b - 2 * shift;
        if (j >= 0 && j < static_cast<int>(b.size()))
          p += a[static_cast<std::size_t>(i)] * b[static_cast<std::size_t>(j)];
      }
      return p;
    };
    for (int shift = -16; shift <= 16; ++shift) {
      CHECK(std::abs(product(t.low, t.low_at, t.low_back, t.low_back_at, shift) - (shift == 0)) < 1e-10);
      CHECK(std::abs(product(t.high, t.high_at, t.high_back, t.high_back_at, shift) - (shift == 0)) < 1e-10);
      CHECK(std::abs(product(t.low, t.low_at, t.high_back, t.high_back_at, shift)) < 1e-10);
      CHECK(std::abs(product(t.high, t.high_at, t.low_back, t.low_back_at, shift)) < 1e-10);
    }
    // The high filter is blind to polynomials: as many as the name says.
    const std::string text = name;
    const int number = std::isdigit(text.back()) != 0 ? std::atoi(text.c_str() + text.find_first_of("0123456789")) : 1;
    const int moments = text.starts_with("coiflet") ? 2 * number : text == "5/3" ? 2 : text == "9/7" ? 4 : number;
    for (int m = 0; m < moments; ++m) {
      double moment = 0, scale = 0;
      for (int i = 0; i < static_cast<int>(t.high.size()); ++i) {
        const double place =
            std::pow((i - static_cast<double>(t.high.size() - 1) / 2) / static_cast<double>(t.high.size()), m);
        moment += place * t.high[static_cast<std::size_t>(i)];
        scale += std::abs(place);
      }
      CHECK(std::abs(moment) < 1e-9 * std::max(1.0, scale));
    }
    if (text.starts_with("coiflet")) {
      // The scaling function has vanishing moments as well.
      double first = 0;
      for (std::size_t i = 0; i < t.low.size(); ++i) first += static_cast<double>(i) * t.low[i];
      CHECK(first / std::sqrt(2) == doctest::Approx(std::round(first / std::sqrt(2))).epsilon(1e-9));
    }
    CHECK((t.low.size() == t.high_back.size() && t.symmetric) == (text == "5/3" || text == "9/7"));
  }
  // Known values: Daubechies (1992), table 6.1.
  CHECK(taps_of(Wavelet::daubechies2).low[0] ==
        doctest::Approx((1 + std::sqrt(3)) / (4 * std::sqrt(2))).epsilon(1e-14));
  CHECK(taps_of(Wavelet::nine_seven).low[4] == doctest::Approx(0.852698679009).epsilon(1e-10));
  CHECK(taps_of(Wavelet::nine_seven).low_back[3] == doctest::Approx(0.788485616406).epsilon(1e-10));
}

TEST_CASE("fast and plain transforms agree, and every picture comes back") {
  for (const auto& [name, w] : ChoiceNames<Wavelet>::all()) {
    CAPTURE(std::string(name));
    for (const auto& [width, height] :
         {std::pair{33, 22}, std::pair{16, 37}, std::pair{1, 9}, std::pair{7, 1}, std::pair{1, 1}, std::pair{2, 3}}) {
      CAPTURE(width);
      CAPTURE(height);
      const Image in = noise(width, height, width == 16 ? 3 : 1);
      for (const bool undecimated : {false, true}) {
        CAPTURE(undecimated);
        const int levels = width * height == 1 ? 2 : 3;
        const WaveletBands b = wavelet_forward(in, w, levels, undecimated);
        CHECK(deviation(wavelet_inverse(b), in) < 2e-5);
        if (undecimated && width != 33) continue;
        const WaveletBands p = reference::wavelet_forward(in, w, levels, undecimated);
        CHECK(worst(b, p) < 2e-5);
        CHECK(deviation(reference::wavelet_inverse(p), in) < 2e-5);
      }
    }
  }
  // Many strips, any number of threads, alpha left out.
  const Image large = noise(311, 450, 4);
  for (const Wavelet w : {Wavelet::nine_seven, Wavelet::symlet4}) {
    const WaveletBands b = wavelet_forward(large, w, 5);
    CHECK(b.shape == Shape{311, 450, 3});
    ConstView color = large;
    color.shape.channels = 3;
    CHECK(deviation(wavelet_inverse(b), color) < 1e-5);
    set_threads(1);
    CHECK(worst(wavelet_forward(large, w, 5), b) == 0);
    set_threads(0);
  }
}

TEST_CASE("bands answer to what they are named for; energy and noise are as stated") {
  Image rows(64, 64), columns(64, 64), flat(64, 64);
  for (int y = 0; y < 64; ++y) {
    for (int x = 0; x < 64; ++x) {
      rows.at(x, y) = y < 33 ? 0.2F : 0.8F;
      columns.at(x, y) = x < 33 ? 0.2F : 0.8F;
      flat.at(x, y) = 0.5F;
    }
  }
  for (const Wavelet w : {Wavelet::haar, Wavelet::daubechies4, Wavelet::nine_seven}) {
    const auto of = [&](const Image& in, std::size_t i) { return band_energies(wavelet_forward(in, w, 2))[i].energy; };
    CHECK(of(rows, 0) > 0.1);
    CHECK(of(rows, 1) < 1e-9);
    CHECK(of(columns, 1) > 0.1);
    CHECK(of(columns, 0) < 1e-9);
    for (std::size_t i = 0; i < 6; ++i) CHECK(of(flat, i) < 1e-9);
    const auto all = band_energies(wavelet_forward(flat, w, 2));
    CHECK(all.size() == 7);
    CHECK(all.back().name == "approximation 2");
    CHECK(all.back().share == doctest::Approx(1).epsilon(1e-6));
  }
  // An orthogonal transform keeps the energy where the border adds nothing: Haar on even sizes.
  const Image in = noise(64, 48);
  double energy = 0, bands = 0;
  for (int y = 0; y < 48; ++y) {
    for (int x = 0; x < 64; ++x) energy += static_cast<double>(in.at(x, y)) * static_cast<double>(in.at(x, y));
  }
  for (const BandEnergy& e : band_energies(wavelet_forward(in, Wavelet::haar, 3))) bands += e.energy;
  CHECK(bands == doctest::Approx(energy).epsilon(1e-5));
  // White noise has the stated deviation in every band.
  const Image white = GaussianNoise{.deviation = 0.1F, .seed = 5}(Image(512, 512));
  for (const Wavelet w : {Wavelet::five_three, Wavelet::nine_seven, Wavelet::symlet4}) {
    for (const bool undecimated : {false, true}) {
      const WaveletBands b = wavelet_forward(white, w, 2, undecimated);
      for (int j = 0; j < 2; ++j) {
        const WaveletDetails& d = b.levels[static_cast<std::size_t>(j)];
        CHECK(statistics(d.horizontal)[0].deviation ==
              doctest::Approx(0.1 * wavelet_noise_gain(w, j, false, true)).epsilon(0.03));
        CHECK(statistics(d.diagonal)[0].deviation ==
              doctest::Approx(0.1 * wavelet_noise_gain(w, j, true, true)).epsilon(0.03));
      }
    }
  }
  // A shift of the picture shifts undecimated bands.
  Image moved(64, 48);
  copy(in.view().part({0, 0, 59, 48}), moved.view().part({5, 0, 59, 48}));
  const WaveletBands a = wavelet_forward(in, Wavelet::nine_seven, 1, true),
                     b = wavelet_forward(moved, Wavelet::nine_seven, 1, true);
  CHECK(deviation(a.levels[0].diagonal.view().part({8, 0, 40, 48}), b.levels[0].diagonal.view().part({13, 0, 40, 48})) <
        1e-6);
}

TEST_CASE("the nested picture holds every band at its place; wrong bands are refused") {
  const Image in = noise(50, 35);
  for (const Wavelet w : {Wavelet::nine_seven, Wavelet::haar, Wavelet::daubechies3}) {
    const WaveletBands b = wavelet_forward(in, w, 3);
    const Image raw = nested_bands(b, false), seen = nested_bands(b);
    if (w == Wavelet::nine_seven) CHECK(raw.shape() == in.shape());
    CHECK(identical(raw.view().part({0, 0, b.approximation.width(), b.approximation.height()}), b.approximation));
    const Image& fine = b.levels[0].diagonal;
    CHECK(identical(
        raw.view().part({raw.width() - fine.width(), raw.height() - fine.height(), fine.width(), fine.height()}),
        fine));
    const ChannelStatistics s = statistics(seen)[0];
    CHECK(s.minimum == doctest::Approx(0));
    CHECK(s.maximum == doctest::Approx(1));
  }
  CHECK_THROWS_AS(nested_bands(wavelet_forward(in, Wavelet::haar, 2, true)), InvalidArgument);
  CHECK_THROWS_AS(nested_bands(WaveletBands{}), InvalidArgument);
  CHECK_THROWS_AS(wavelet_forward(in, Wavelet::haar, 0), InvalidArgument);
  CHECK_THROWS_AS(wavelet_forward(in, Wavelet::haar, 17), InvalidArgument);
  CHECK_THROWS_AS(wavelet_forward(Image(), Wavelet::haar, 1), InvalidArgument);
  WaveletBands b = wavelet_forward(in, Wavelet::nine_seven, 2);
  b.levels[0].vertical = Image(3, 3);
  CHECK_THROWS_WITH_AS(wavelet_inverse(b), doctest::Contains("level 1"), InvalidArgument);
  b = wavelet_forward(in, Wavelet::nine_seven, 2);
  b.shape.width = 90;
  CHECK_THROWS_AS(wavelet_inverse(b), InvalidArgument);
  b = wavelet_forward(in, Wavelet::nine_seven, 2);
  b.margin = -1;
  CHECK_THROWS_WITH_AS(wavelet_inverse(b), doctest::Contains("margin"), InvalidArgument);
  Image small(7, 5);
  CHECK_THROWS_WITH_AS(wavelet_inverse(wavelet_forward(in, Wavelet::haar, 1), small.view()),
                       doctest::Contains("the buffer is 7x5"), InvalidArgument);
  CHECK_THROWS_WITH_AS(wavelet_inverse(WaveletBands{}), doctest::Contains("no bands"), InvalidArgument);
}

TEST_CASE("the reversible 5/3 gives every number back, and is the 5/3 up to its rounding") {
  for (const auto& [w, h] :
       {std::pair{64, 64}, std::pair{97, 61}, std::pair{1, 17}, std::pair{5, 1}, std::pair{1, 1}, std::pair{130, 3}}) {
    CAPTURE(w);
    CAPTURE(h);
    const RandomStream random(4, 0);
    std::vector<std::int32_t> in(static_cast<std::size_t>(w) * static_cast<std::size_t>(h));
    for (std::size_t i = 0; i < in.size(); ++i) in[i] = static_cast<std::int32_t>(random.uniform(i) * 65536) - 1000;
    for (const int levels : {0, 1, 5, 12}) {
      std::vector<std::int32_t> v = in;
      reversible_forward(v, w, h, levels);
      if (levels == 1 && w > 1 && h > 1) {
        Image picture(w, h);
        for (int y = 0; y < h; ++y) {
          for (int x = 0; x < w; ++x) picture.at(x, y) = static_cast<float>(in[static_cast<std::size_t>(y * w + x)]);
        }
        const Image low = wavelet_forward(picture, Wavelet::five_three, 1).approximation;
        double most = 0;
        for (int y = 0; y < low.height(); ++y) {
          for (int x = 0; x < low.width(); ++x)
            most = std::max(most,
                            std::abs(static_cast<double>(low.at(x, y)) / 2 - v[static_cast<std::size_t>(y * w + x)]));
        }
        CHECK(most < 2.5);
      }
      reversible_inverse(v, w, h, levels);
      CHECK(v == in);
    }
  }
  std::vector<std::int32_t> v(10);
  CHECK_THROWS_AS(reversible_forward(v, 3, 3, 1), InvalidArgument);
  CHECK_THROWS_AS(reversible_inverse(v, 5, 2, 33), InvalidArgument);
}
