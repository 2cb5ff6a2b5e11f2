// Chains that run strip by strip give what their steps give one after the other.

#include <atomic>
#include <string>

#include "catalogue.hpp"
#include "sieve/filter.hpp"

using namespace sieve;
using namespace test;

namespace {

Image one_after_the_other(const Chain& chain, const ConstView& in) {
  Image current(in);
  for (const Filter& f : chain.steps()) current = f(current);
  return current;
}

// Nothing a chain of these does depends on where a strip ends.
const char* const kLocal[] = {
    "gaussian sigma=2 then unsharp then stretch",
    "gaussian sigma=9 border=mirror then box radius=12 border=zero then median radius=2 border=reflect",
    "convolve kernel=motion:length=31,angle=70 border=constant fill=0.5 then laplacian_sharpen then clip",
    "gray then minimum radius=7 then maximum radius=7 then gamma exponent=0.7 then invert",
    "median radius=6 shape=disk then bounded_unsharp then absolute",
    "stretch percent=1 then brightness amount=0.1 then stretch",
    "adaptive_wiener noise=0.1 then lee speckle=0.2 then gradient_magnitude",
};

}  // namespace

TEST_CASE("strips put together are the whole, for any border, size and number of channels") {
  for (const auto& [w, h, channels] :
       {std::tuple{701, 513, 1}, {1, 300001, 1}, {300001, 1, 1}, {97, 1500, 3}, {640, 480, 4}}) {
    const Image in = noise(w, h, channels);
    for (const char* text : kLocal) {
      CAPTURE(w);
      CAPTURE(h);
      CAPTURE(std::string(text));
      if (channels == 1 && std::string(text).starts_with("gray")) continue;
      const Chain chain = Chain::parse(text);
      CHECK(identical(chain(in), one_after_the_other(chain, in)));
    }
  }
}

TEST_CASE("who listens changes nothing: the same bits with notes heard, with each step heard, and into a buffer") {
  const Image in = noise(901, 700);
  std::vector<std::string> all(std::begin(kLocal), std::end(kLocal));
  // Wide windows, large Gaussians and kernels for the Fourier way, which strips would round otherwise.
  for (const char* wide :
       {"gaussian sigma=7 then clip", "disk_mean radius=12 then clip", "unsharp sigma=9 then invert",
        "bounded_unsharp sigma=6 radius=9 then invert", "box radius=60 then clip",
        "convolve kernel=motion:length=60,angle=33 then clip", "adaptive_wiener radius=20 noise=0.1 then clip",
        "median radius=20 then clip", "opening radius=30 then closing radius=30", "lee radius=9 then clip"})
    all.emplace_back(wide);
  for (const std::string& text : all) {
    CAPTURE(text);
    if (text.starts_with("gray")) continue;
    const Chain chain = Chain::parse(text);
    const Image alone = chain(in);
    CHECK(identical(one_after_the_other(chain, in), alone));
    Image out(in.shape());
    chain(in, out);
    CHECK(identical(out, alone));
    Watch watch;
    watch.on_note = [](const std::string&) {};
    watch.on_progress = [](double) {};
    const Watch::Active active(watch);
    CHECK(identical(chain(in), alone));
    Image heard(in.shape());
    chain(in, heard);
    CHECK(identical(heard, alone));
  }
}

TEST_CASE("strips are the same for any number of threads") {
  const Image in = noise(900, 700);
  for (const char* text : kLocal) {
    CAPTURE(std::string(text));
    if (std::string(text).starts_with("gray")) continue;
    const Chain chain = Chain::parse(text);
    set_threads(1);
    const Image one = chain(in);
    set_threads(3);
    const Image three = chain(in);
    set_threads(0);
    CHECK(identical(one, three));
  }
}

TEST_CASE("what depends on the place, the whole picture or a wrapped border is not cut into strips") {
  const Image in = noise(800, 600);
  const Shape shape = in.shape();
  for (const char* text : {"equalize", "stretch", "gaussian border=wrap", "box border=inside",
                           "convolve kernel=1,2,1/2,4,2/1,2,1 stride=2", "nonlocal_means noise=0.1 search=2"}) {
    CAPTURE(std::string(text));
    const Chain alone = Chain::parse(text);
    const Filter& step = alone.steps()[0];
    CHECK((!step.part_margin() || step.result_shape(shape) != shape));
    // Exactly the whole's result, also between steps that would go by strips.
    const Chain chain = Chain::parse("clip then median radius=1 then " + std::string(text) + " then invert then clip");
    CHECK(identical(chain(in), one_after_the_other(chain, in)));
  }
}

TEST_CASE("strips of a measured stretch need no surroundings, and need to be measured first") {
  const Image in = noise(700, 500);
  const Filter stretch{Stretch{}};
  CHECK_FALSE(stretch.part_margin().has_value());
  const auto known = stretch.measured(in);
  REQUIRE(known.has_value());
  CHECK(known->part_margin() == 0);
  CHECK(identical((*known)(in), stretch(in)));
  // A level that is given stays.
  const auto half = Filter{Stretch{.low = 0.25F}}.measured(in);
  REQUIRE(half.has_value());
  CHECK(half->get("low") == "0.25");
  CHECK_FALSE(Filter{Gaussian{}}.measured(in).has_value());
}

TEST_CASE("a chain by strips leaves its input alone, stops when asked, and tells the whole picture's notes") {
  const Image in = noise(1200, 900), before = in;
  const Chain chain = Chain::parse("gaussian sigma=3 then unsharp amount=3 then median radius=2");
  (void)chain(in);
  CHECK(identical(in, before));

  Watch watch;
  std::atomic<int> heard = 0;
  watch.on_progress = [&](double share) {
    CHECK(share >= 0);
    CHECK(share <= 1.0001);
    ++heard;
    watch.stop();
  };
  bool stopped = false;
  try {
    const Watch::Active active(watch);
    for (int i = 0; i < 200; ++i) (void)chain(in);
  } catch (const Canceled&) {
    stopped = true;
  }
  CHECK(stopped);
  CHECK(heard > 0);
  CHECK(identical(in, before));
}

TEST_CASE("an error in a strip is the caller's error") {
  const Image in = noise(900, 600);
  CHECK_THROWS_AS(Chain({Filter{Clip{}}, Filter{Median{.radius = 2, .border = Border::inside}}})(in), InvalidArgument);
  CHECK_THROWS_AS(Chain({Filter{Clip{}}, Filter{Gaussian{.sigma = -1}}, Filter{Invert{}}})(in), InvalidArgument);
}

TEST_CASE("chains drawn at random from all that can be cut: the strips' result is the steps'") {
  const Image in = noise(640, 530), color = noise(420, 330, 3);
  std::vector<Filter> able;
  for (const Filter& f : every_filter(in)) {
    if (f.part_margin() && f.result_shape(in.shape()) == in.shape()) able.push_back(f);
  }
  CHECK(able.size() > 25);
  const RandomStream random(7, 0);
  std::uint64_t drawn = 0;
  const auto draw = [&](std::size_t n) {
    return static_cast<std::size_t>(random.uniform(drawn++) * static_cast<double>(n)) % n;
  };
  const int chains = test::sanitized ? 20 : 90;
  int ran = 0;
  for (int i = 0; i < chains; ++i) {
    const ConstView from = i % 3 == 0 ? color.view() : in.view();
    std::vector<Filter> steps;
    for (std::size_t k = 2 + draw(3); k > 0; --k) steps.push_back(able[draw(able.size())]);
    const Chain chain(steps);
    CAPTURE(chain.text());
    Image whole;
    try {
      whole = one_after_the_other(chain, from);
    } catch (const InvalidArgument& e) {
      // A second picture of another size, colors of which there are none: the same words by strips.
      CHECK_THROWS_WITH_AS(chain(from), e.what(), InvalidArgument);
      continue;
    }
    CHECK(identical(chain(from), whole));
    ++ran;
  }
  CHECK(ran > chains / 2);
}
