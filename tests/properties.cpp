// What must hold for every filter of a kind, whatever its parameters: linearity, shift, reach, sameness in parts.

#include "support.hpp"

#include "sieve/core/map.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

Image scaled(const Image& a, float k) {
  return map_samples(a, [k](float v) { return k * v; });
}
Image sum(const Image& a, const Image& b) {
  return map_pairs(a, b, [](float p, float q) { return p + q; });
}

const std::vector<std::string> linear = {"gaussian sigma=0.7",
                                         "gaussian sigma=3",
                                         "gaussian sigma=7",
                                         "box radius=1",
                                         "box radius=9",
                                         "convolve kernel=emboss",
                                         "convolve kernel=gaussian:sigma=2",
                                         "correlate kernel=1,2,3/4,5,6/7,8,10",
                                         "convolve kernel=motion:length=9,angle=30",
                                         "convolve kernel=disk:radius=8 method=fourier",
                                         "blur psf=disk:radius=2.5",
                                         "convolve kernel=1,2/3,4:anchor=1,0 stride=2",
                                         "shrink factor=2.5",
                                         "pad left=3 right=5 top=2 bottom=1 border=reflect"};

}  // namespace

TEST_CASE("linear filters are linear") {
  const Image a = noise(61, 47, 1, 1), b = noise(61, 47, 1, 2);
  for (const std::string& text : linear) {
    CAPTURE(text);
    const Chain f = Chain::parse(text);
    const double size = std::max(1.0, statistics(f(a))[0].maximum);
    CHECK(deviation(f(sum(scaled(a, 2), scaled(b, -0.5F))), sum(scaled(f(a), 2), scaled(f(b), -0.5F))) < 1e-6 * size);
    CHECK(deviation(f(scaled(a, 0)), scaled(f(a), 0)) == 0);
  }
}

TEST_CASE("with a wrapped border, shifting the input shifts the result, and the mean is kept by kernels of sum 1") {
  const Image in = noise(48, 36);
  const auto rolled = [](const Image& v, int dx, int dy) {
    Image out(v.shape());
    for (int y = 0; y < v.height(); ++y) {
      for (int x = 0; x < v.width(); ++x) out.at((x + dx) % v.width(), (y + dy) % v.height()) = v.at(x, y);
    }
    return out;
  };
  for (const char* text : {"gaussian sigma=2 border=wrap", "gaussian sigma=8 border=wrap", "box radius=4 border=wrap",
                           "convolve kernel=disk:radius=3 border=wrap",
                           "convolve kernel=motion:length=15,angle=70 border=wrap method=fourier",
                           "blur psf=gaussian:sigma=1.5 border=wrap"}) {
    CAPTURE(text);
    const Chain f = Chain::parse(text);
    // The coarse grid of a large Gaussian lies otherwise from shift to shift: 4.9e-6.
    CHECK(deviation(f(rolled(in, 5, 7)), rolled(f(in), 5, 7)) < 1e-5);
    CHECK(statistics(f(in))[0].mean == doctest::Approx(statistics(in)[0].mean).epsilon(1e-4));
  }
}

namespace {

constexpr int kWide = 160, kHigh = 150, kAtX = 80, kAtY = 75;

// Pictures in which one sample decides what a filter makes of its surroundings: noise, one level, impulses, a cross
// through it, an edge at it, a slope.
std::vector<Image> telling_pictures() {
  const Image grain = noise(kWide, kHigh, 1, 5);
  const auto made = [&](auto level) {
    Image image(kWide, kHigh);
    for (int y = 0; y < kHigh; ++y) {
      for (int x = 0; x < kWide; ++x) image.at(x, y) = static_cast<float>(level(x, y));
    }
    return image;
  };
  return {noise(kWide, kHigh),
          made([](int, int) { return 0.5; }),
          made([&](int x, int y) { return grain.at(x, y) > 0.9F   ? 1.0
                                          : grain.at(x, y) < 0.1F ? 0.0
                                                                  : 0.5; }),
          made([](int x, int y) { return x == kAtX || y == kAtY ? 1.0 : 0.0; }),
          made([](int x, int) { return x >= kAtX ? 1.0 : 0.0; }),
          made([](int x, int) { return x / 160.0; })};
}

// How far from a sample a filter's result changes when the sample does, in any of the pictures and either way.
int farthest_change(const Filter& f, const std::vector<Image>& pictures) {
  int farthest = -1;
  for (const Image& in : pictures) {
    const Image before = f(in);
    for (const float by : {100.0F, -100.0F, 1.0F, 0.3F, -0.3F}) {
      Image touched = in;
      touched.at(kAtX, kAtY) += by;
      const Image after = f(touched);
      for (int y = 0; y < kHigh; ++y) {
        for (int x = 0; x < kWide; ++x) {
          if (std::abs(before.at(x, y) - after.at(x, y)) > 1e-5)
            farthest = std::max({farthest, std::abs(x - kAtX), std::abs(y - kAtY)});
        }
      }
    }
  }
  return farthest;
}

}  // namespace

TEST_CASE("a filter looks exactly as far as the reach it states") {
  const std::vector<Image> pictures = telling_pictures();
  int exact = 0;
  for (const std::string& name : Catalogue::standard().names()) {
    const Filter& standard = Catalogue::standard().find(name);
    if (standard.about().family == "arithmetic" || standard.result_shape({kWide, kHigh, 1}) != Shape{kWide, kHigh, 1})
      continue;
    std::vector<std::string> settings = {""};
    for (const Parameter& p : standard.about().parameters) {
      if (p.name == "radius") settings = {"", "radius=1", "radius=2", "radius=7"};
      if (p.name == "sigma") settings = {"", "sigma=0.8", "sigma=3", "sigma=6"};
    }
    for (const std::string& setting : settings) {
      Filter f = standard;
      if (!setting.empty()) f.set(setting.substr(0, setting.find('=')), setting.substr(setting.find('=') + 1));
      // A strength given by hand, where by itself it would be measured on the whole picture.
      for (const char* key : {"noise", "strength", "edge", "speckle"}) {
        for (const Parameter& p : f.about().parameters) {
          if (p.name == key && p.may_be_auto) f.set(key, "0.2");
        }
      }
      if (!f.reach()) continue;
      CAPTURE(f.text());
      const int farthest = farthest_change(f, pictures);
      CHECK(farthest <= *f.reach());
      // Diffusion carries a change one pixel a step and less each time; a large Gaussian ends far beyond where its
      // weights are as small as 1e-5. Block matching looks so far only from a reference block at the end of the window
      // of one that is itself at the end of another's.
      const bool fades = name == "diffusion" || name == "block_matching" || setting == "sigma=6";
      CHECK(farthest >= (fades ? *f.reach() / 2 : *f.reach()));
      exact += fades ? 0 : 1;
    }
  }
  CHECK(exact > 70);
}

TEST_CASE("a part filtered with its surroundings is the part of the whole, so that work can be cut into tiles") {
  const Image in = noise(180, 140, 3);
  for (const char* text : {"convolve kernel=emboss", "convolve kernel=gaussian:sigma=2", "box radius=6",
                           "gaussian sigma=2.5", "gradient_magnitude", "gradient_direction", "clip", "absolute"}) {
    CAPTURE(text);
    const Chain f = Chain::parse(text);
    const int reach = *f.steps()[0].reach();
    const Rectangle part{60, 50, 40, 30};
    const Rectangle wide{part.x - reach, part.y - reach, part.width + 2 * reach, part.height + 2 * reach};
    const Image tile = f(in.view().part(wide)), whole = f(in);
    CHECK(deviation(Engine::standard().run(f, in, {.part = part}).image, whole.view().part(part)) == 0);
    // A tile cut out by hand is a picture of its own: the sums of a box are grouped by its own rows, and may round
    // otherwise.
    const bool grouped = std::string(text).starts_with("box");
    CHECK(deviation(tile.view().part({reach, reach, part.width, part.height}), whole.view().part(part)) <=
          (grouped ? 1.2e-7 : 0));
  }
}

TEST_CASE(
    "a picture so large that rows are written past the cache is filtered as its parts are, on aligned rows or not") {
  const Image in = noise(2056, 1532);
  Image wider(2057, 1532);
  const View unaligned = wider.view().part({1, 0, 2056, 1532});
  const Rectangle corner{1700, 1200, 356, 332};
  const Image alone(in.view().part(corner));
  for (const char* text : {"convolve kernel=emboss",
                           "convolve kernel=gaussian:sigma=2",
                           "convolve kernel=1,0,0,0,2/0,0,0,0,3/-1,0,0,0,0",
                           "box radius=1",
                           "box radius=6",
                           "box radius=40",
                           "gaussian sigma=2.5",
                           "gaussian sigma=9",
                           "minimum radius=1",
                           "maximum radius=4",
                           "minimum radius=20",
                           "guided strength=0.1",
                           "total_variation weight=0.1 iterations=5",
                           "clip",
                           "invert",
                           "gamma exponent=0.5",
                           "contrast factor=2",
                           "sigmoid",
                           "threshold level=0.4",
                           "gaussian sigma=1 then contrast factor=2 then maximum radius=1 then clip"}) {
    CAPTURE(std::string(text));
    const Chain f = Chain::parse(text);
    const Image whole = f(in);
    f(in, unaligned);
    CHECK(identical(unaligned, whole));
    int reach = 0;
    for (const Filter& step : f.steps()) reach += step.reach().value_or(corner.width / 3);
    const Rectangle inside{reach, reach, corner.width - reach, corner.height - reach};
    // Running sums begin elsewhere in the corner alone, and round otherwise.
    CHECK(deviation(f(alone).view().part(inside), whole.view().part(corner).part(inside)) < 1e-6);
  }
}

TEST_CASE("Gaussians compose: variances add up") {
  const Image in = noise(200, 150);
  const auto inner = [](const Image& v) { return Image(v.view().part({60, 50, 80, 50})); };
  for (const auto& [a, b] : {std::pair{1.0F, 2.0F}, {3.0F, 4.0F}, {6.0F, 8.0F}}) {
    const Image twice = Gaussian{.sigma = b}(Gaussian{.sigma = a}(in)),
                once = Gaussian{.sigma = std::sqrt(a * a + b * b)}(in);
    CHECK(deviation(inner(twice), inner(once)) < 2.5e-5);  // kernels cut off at 4 sigma, and a coarse grid: 1.2e-5
  }
}

TEST_CASE("symmetries: a filter without direction commutes with mirroring and turning") {
  const Image in = noise(50, 50);
  const auto flipped = [](const Image& v) {
    Image out(v.shape());
    for (int y = 0; y < v.height(); ++y) {
      for (int x = 0; x < v.width(); ++x) out.at(v.width() - 1 - x, y) = v.at(x, y);
    }
    return out;
  };
  const auto transposed = [](const Image& v) {
    Image out(v.height(), v.width());
    for (int y = 0; y < v.height(); ++y) {
      for (int x = 0; x < v.width(); ++x) out.at(y, x) = v.at(x, y);
    }
    return out;
  };
  for (const char* text : {"gaussian sigma=2", "box radius=3", "convolve kernel=laplacian8",
                           "convolve kernel=disk:radius=4", "gradient_magnitude by=scharr", "shrink factor=2"}) {
    for (const char* border : {"edge", "mirror", "reflect", "wrap", "zero"}) {
      const std::string full =
          std::string(text) + (std::string(text).starts_with("shrink") ? "" : std::string(" border=") + border);
      CAPTURE(full);
      const Chain f = Chain::parse(full);
      // Sums in another order; the weights of scharr add up to 32, in size: 3.8e-6.
      CHECK(deviation(f(flipped(in)), flipped(f(in))) < 8e-6);
      CHECK(deviation(f(transposed(in)), transposed(f(in))) < 8e-6);
    }
  }
}

TEST_CASE("chain text of any length and nonsense: an error or a chain, never a crash; what parses is read back") {
  const RandomStream random(99);
  const std::vector<std::string> words = {
      "then",    "end",       "within",       "gaussian",  "sigma=2",      "sigma=",    "=",
      "box",     "radius=3",  "kernel=1,2,1", "kernel=@x", "part=1,2,3,4", "mask=none", "crop",
      "x=-1",    "clip",      "low=1e30",     "low=-0",    "or",           "convolve",  "border=wrap",
      "stretch", "percent=3", "percent=abc",  "",          "\x01",         "gray"};
  int good = 0;
  for (std::uint64_t trial = 0; trial < 3000; ++trial) {
    std::vector<std::string> chain;
    const std::uint64_t n = 1 + random.words(trial)[0] % 7;
    for (std::uint64_t i = 0; i < n; ++i) chain.push_back(words[random.words(trial * 16 + i)[1] % words.size()]);
    try {
      const Chain c = Chain::parse(chain);
      ++good;
      CHECK(Chain::parse(c.text()).text() == c.text());
      CHECK(Chain::parse(c.text(true)).text(true) == c.text(true));
    } catch (const InvalidArgument&) {
    }
  }
  CHECK(good > 20);
}

TEST_CASE("kernel text and recipe text: nonsense is refused, never a crash") {
  const RandomStream random(7);
  const std::string alphabet = "0123456789,/.-+e:=@agnsuixbo \n#[]\"";
  int refused = 0;
  for (std::uint64_t trial = 0; trial < 4000; ++trial) {
    std::string text;
    const std::uint64_t n = random.words(trial)[0] % 24;
    for (std::uint64_t i = 0; i < n; ++i) text += alphabet[random.words(trial * 32 + i)[2] % alphabet.size()];
    try {
      const Kernel k = Kernel::parse(text);
      CHECK(Kernel::parse(k.text()).taps() == k.taps());
    } catch (const InvalidArgument&) {
      ++refused;
    }
    CHECK_THROWS_AS(recipe_words(text, "r.toml"), InvalidArgument);
  }
  CHECK(refused > 2000);
}

TEST_CASE("recipes: every filter with its defaults is written and read back") {
  for (const std::string& name : Catalogue::standard().names()) {
    if (name == "within") continue;
    CAPTURE(name);
    const Chain c = Chain::parse(name);
    CHECK(Chain::parse(recipe_words(recipe_text(c), "r.toml")).text(true) == c.text(true));
    CHECK(chain_text_of_record(record_of(c)) == c.text(true));
  }
  CHECK_THROWS_AS(chain_text_of_record("somebody else's note | gaussian"), InvalidArgument);
}
