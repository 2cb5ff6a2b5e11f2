// Laws that whole families obey, whatever the picture: how filters answer to scaled, shifted, turned and inverted
// levels, what they keep, what bounds them, and which of them undo or repeat each other.

#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

Image scaled(const ConstView& in, float factor, float offset) {
  return map_samples(in, [=](float v) { return factor * v + offset; });
}

Image transposed(const ConstView& in) {
  Image out(in.height(), in.width(), in.channels());
  for (int c = 0; c < in.channels(); ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) out.at(y, x, c) = in.at(x, y, c);
    }
  }
  return out;
}

Image run(const std::string& text, const ConstView& in) { return Chain::parse(text)(in); }

// A view with edges, slopes and grain, on no particular levels.
Image view() {
  static const Image image =
      GaussianNoise{.deviation = 0.03F, .seed = 2}(test::noon().view().part({250, 120, 121, 93}));
  return image;
}

std::string number(double v) {
  char text[32];
  std::snprintf(text, sizeof text, "%.9g", v);
  return text;
}

}  // namespace

TEST_CASE("levels in other units: a filter whose parameters are scaled along gives the scaled result") {
  const Image in = view();
  struct Law {
    std::string before;  // the chain, up to the value that scales
    double value;
    std::string after;
  };
  // Powers of two change no rounding.
  const std::vector<Law> laws = {{"gaussian sigma=", 0, "2.3"},
                                 {"total_variation iterations=40 tolerance=0.000001 weight=", 0.05, ""},
                                 {"nonlocal_means patch=1 search=4 noise=", 0.05, ""},
                                 {"bilateral sigma=1.5 range=", 0.1, ""},
                                 {"bilateral sigma=5 method=fast range=", 0.1, ""},
                                 {"guided radius=3 strength=", 0.06, ""},
                                 {"diffusion iterations=8 edge=", 0.05, ""},
                                 {"adaptive_wiener noise=", 0.04, ""},
                                 {"wavelet_shrink noise=", 0.05, ""},
                                 {"unsharp sigma=1.5 threshold=", 0.02, ""},
                                 {"adaptive_median least=", 0.05, ""}};
  for (const Law& law : laws) {
    CAPTURE(law.before);
    const auto chain = [&](double factor) {
      return law.before + (law.value > 0 ? number(law.value * factor) : "") + law.after;
    };
    const Image plain = run(chain(1), in);
    for (const float factor : {0.25F, 4.0F}) {
      CAPTURE(factor);
      const Image other = run(chain(static_cast<double>(factor)), scaled(in, factor, 0));
      CHECK(deviation(scaled(other, 1 / factor, 0), plain) == 0);
    }
  }
}

TEST_CASE("an offset passes through all that averages or sorts, and through nothing that takes the mean away") {
  const Image in = view();
  for (const char* text : {"gaussian sigma=3",
                           "box radius=4",
                           "binomial",
                           "disk_mean radius=2.5",
                           "median radius=2",
                           "percentile radius=2 share=0.2",
                           "midpoint",
                           "alpha_trimmed_mean",
                           "adaptive_median",
                           "opening radius=2",
                           "closing radius=2",
                           "total_variation weight=0.05",
                           "nonlocal_means noise=0.05 strength=0.5 search=4",
                           "bilateral range=0.1",
                           "guided strength=0.05",
                           "diffusion edge=0.05",
                           "adaptive_wiener noise=0.04",
                           "wavelet_shrink rule=bayes noise=0.05",
                           "unsharp",
                           "laplacian_sharpen",
                           "bounded_unsharp",
                           "low_pass"}) {
    CAPTURE(std::string(text));
    // Roundings of samples that are larger by the offset: 1.5e-6 at most (guided); a variance less a noise of nearly
    // its size leaves 2.5e-5.
    const double within = std::string(text).starts_with("adaptive_wiener") ? 5e-5 : 3e-6;
    CHECK(deviation(run(text, scaled(in, 1, 0.5F)), scaled(run(text, in), 1, 0.5F)) < within);
  }
  for (const char* text :
       {"high_pass", "band_pass", "convolve kernel=laplacian", "convolve kernel=sobel_x", "gradient_magnitude"}) {
    CAPTURE(std::string(text));
    CHECK(deviation(run(text, scaled(in, 1, 0.5F)), run(text, in)) < 2.5e-6);  // gradient_magnitude: 1.3e-6
  }
}

TEST_CASE("what averages stays between the lowest and the highest sample, and near ones of the mean") {
  for (const std::uint64_t seed : {1U, 2U}) {
    const Image in = noise(77, 58, 1, seed);
    const auto s = statistics(in)[0];
    for (const char* text : {"gaussian sigma=2",
                             "gaussian sigma=40",
                             "box radius=9",
                             "binomial",
                             "disk_mean",
                             "median radius=3",
                             "percentile share=0.7",
                             "midpoint radius=2",
                             "alpha_trimmed_mean radius=2",
                             "adaptive_median",
                             "minimum",
                             "maximum",
                             "opening",
                             "closing",
                             "total_variation weight=0.3",
                             "nonlocal_means noise=0.2 search=5",
                             "bilateral range=0.3",
                             "bilateral range=0.3 sigma=5 method=fast",
                             "diffusion edge=0.3",
                             "adaptive_wiener noise=0.3",
                             "weighted_median"}) {
      CAPTURE(std::string(text));
      const auto r = statistics(run(text, in))[0];
      CHECK(r.minimum >= s.minimum - 1e-5F);
      CHECK(r.maximum <= s.maximum + 1e-5F);
    }
    // These move light about and lose none of it.
    for (const char* text :
         {"gaussian sigma=2 border=wrap", "box radius=3 border=wrap", "total_variation weight=0.2",
          "diffusion edge=0.2 iterations=30", "low_pass border=wrap", "wavelet_shrink noise=0.1 undecimated=no"}) {
      CAPTURE(std::string(text));
      CHECK(statistics(run(text, in))[0].mean == doctest::Approx(s.mean).epsilon(2e-4));
    }
  }
}

TEST_CASE("sorting answers to the negative by its dual, to a rising curve by that curve, and repeats nothing twice") {
  const Image in = noise(63, 41, 2), negative = scaled(in, -1, 0),
              curved = map_samples(in, [](float v) { return std::exp(2 * v); });
  const std::vector<std::pair<std::string, std::string>> duals = {
      {"minimum radius=2", "maximum radius=2"},
      {"opening radius=3", "closing radius=3"},
      {"percentile radius=2 share=0.25", "percentile radius=2 share=0.75"},
      {"median radius=2", "median radius=2"},
      {"median radius=2.5 shape=disk", "median radius=2.5 shape=disk"},
      {"midpoint radius=2", "midpoint radius=2"},
      {"alpha_trimmed_mean radius=2", "alpha_trimmed_mean radius=2"},
      {"adaptive_median least=0", "adaptive_median least=0"}};
  for (const auto& dual : duals) {
    CAPTURE(dual.first);
    CHECK(deviation(scaled(run(dual.first, negative), -1, 0), run(dual.second, in)) == 0);
  }
  for (const char* text :
       {"minimum radius=2", "maximum radius=1.5 shape=disk", "median radius=3", "percentile radius=3 share=0.1",
        "opening radius=2", "closing radius=4", "weighted_median"}) {
    CAPTURE(std::string(text));
    CHECK(deviation(run(text, curved), map_samples(run(text, in), [](float v) { return std::exp(2 * v); })) == 0);
  }
  for (const char* text :
       {"opening radius=3", "closing radius=3", "clip", "absolute", "quantize bits=3", "threshold level=0.4", "gray",
        "stretch low=0 high=1 then clip", "low_rank rank=3", "bounded_unsharp amount=0"}) {
    CAPTURE(std::string(text));
    const Image once = run(text, in);
    CHECK(deviation(run(text, once), once) < 1e-5);
  }
  // Opening lies below the picture, closing above, and wider windows farther.
  const Image narrow = run("opening radius=1", in), wide = run("opening radius=3", in),
              above = run("closing radius=1", in);
  for (int y = 0; y < 41; ++y) {
    for (int x = 0; x < 63; ++x) {
      CHECK(wide.at(x, y) <= narrow.at(x, y));
      CHECK(narrow.at(x, y) <= in.at(x, y));
      CHECK(in.at(x, y) <= above.at(x, y));
    }
  }
}

TEST_CASE("a picture on its side gives the result on its side") {
  for (const Shape shape : {Shape{57, 38, 1}, {1, 23, 1}, {40, 40, 3}}) {
    const Image in = noise(shape.width, shape.height, shape.channels), turned = transposed(in);
    for (const char* text : {"gaussian sigma=1.7",
                             "gaussian sigma=9",
                             "box radius=3",
                             "disk_mean radius=2.2",
                             "binomial",
                             "median",
                             "median radius=4",
                             "percentile radius=2 share=0.3",
                             "adaptive_median",
                             "alpha_trimmed_mean",
                             "opening radius=2",
                             "gradient_magnitude",
                             "convolve kernel=laplacian",
                             "total_variation weight=0.2 iterations=60 tolerance=0.000001",
                             "nonlocal_means noise=0.2 strength=0.5 search=3",
                             "bilateral range=0.3",
                             "guided strength=0.1 radius=2",
                             "diffusion edge=0.2",
                             "adaptive_wiener noise=0.2",
                             "lee",
                             "unsharp",
                             "laplacian_sharpen",
                             "bounded_unsharp",
                             "low_pass",
                             "high_pass",
                             "low_rank rank=4",
                             "wiener psf=gaussian:sigma=1 ratio=0.01",
                             "equalize",
                             "homomorphic",
                             "background by=polynomial"}) {
      CAPTURE(std::string(text));
      CAPTURE(shape.width);
      // Sums in another order: 1.8e-6 at most (homomorphic, in logarithms).
      CHECK(deviation(transposed(run(text, in)), run(text, turned)) < 4e-6);
    }
  }
}

TEST_CASE("pairs that undo each other") {
  const Image in = map_samples(noise(48, 37, 3), [](float v) { return std::clamp(v, 0.01F, 1.0F); });
  for (const char* text :
       {"linearize then encode", "encode then linearize", "to_oklab then from_oklab", "to_hsv then from_hsv",
        "invert then invert", "gamma exponent=0.45 then gamma exponent=2.22222222",
        "hue_shift degrees=75 then hue_shift degrees=-75", "brightness amount=0.3 then brightness amount=-0.3",
        "contrast factor=1.6 then contrast factor=0.625", "pad left=3 top=2 then crop x=3 y=2 width=48 height=37",
        "anscombe peak=1000 then inverse_anscombe peak=1000",
        "stretch low=0 high=1 to_low=0.2 to_high=0.7 then stretch low=0.2 high=0.7"}) {
    CAPTURE(std::string(text));
    // Some roundings each way, 7.7e-7 at most (hsv). The cube root of OKLab makes those near black larger: 2.9e-5. The
    // inverse of Anscombe's root is that of means, not of samples: 1 / (4 peak) beside it.
    const std::string pair = text;
    const double within = pair.starts_with("anscombe")                                    ? 4e-4
                          : pair.starts_with("to_oklab") || pair.starts_with("hue_shift") ? 6e-5
                                                                                          : 1.6e-6;
    CHECK(deviation(run(text, in), in) < within);
  }
  // An exact inverse where nothing was lost: the harder the blur, the more digits go.
  for (const auto& [sigma, within] : {std::pair{"0.6", 1e-6}, {"0.9", 3e-5}}) {
    const std::string psf = "psf=gaussian:sigma=" + std::string(sigma);
    CAPTURE(psf);
    CHECK(deviation(run("blur " + psf + " border=mirror then inverse " + psf, in), in) < within);
  }
}

TEST_CASE("blurs one after the other are one blur; order does not matter among what is linear") {
  const Image in = noise(90, 70);
  CHECK(deviation(run("gaussian sigma=2 border=wrap then gaussian sigma=1.5 border=wrap", in),
                  run("gaussian sigma=2.5 border=wrap", in)) < 3e-5);  // both are cut off at 4 sigma: 1.1e-5
  for (const auto& two : {std::pair{"gaussian sigma=2 border=wrap", "box radius=2 border=wrap"},
                          {"convolve kernel=sobel_x border=wrap", "gaussian sigma=1 border=wrap"},
                          {"low_pass border=wrap", "high_pass border=wrap"},
                          {"binomial border=wrap", "disk_mean border=wrap"}}) {
    const std::string a = two.first, b = two.second;
    CAPTURE(a);
    CHECK(deviation(run(a + " then " + b, in), run(b + " then " + a, in)) < 1.2e-6);
  }
  // What a low-pass leaves is what the high-pass of the same form takes, and the bands add up.
  for (const char* form : {"ideal", "gaussian"}) {
    CAPTURE(std::string(form));
    const Image low = run("low_pass cutoff=0.1 form=" + std::string(form), in),
                high = run("high_pass cutoff=0.1 form=" + std::string(form), in);
    CHECK(deviation(map_pairs(low, high, [](float l, float h) { return l + h; }), in) < 1e-6);
  }
}
