// Buffers of the caller's: strides, shared memory, results written where he wants them, and what kind of data they are.

#include <array>
#include <numeric>
#include <utility>

#include "catalogue.hpp"
#include "sieve/core/map.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

constexpr float kGap = -7;

// A picture of that shape in a buffer of its own with gaps between rows and planes, from the top down or from the
// bottom up.
struct Framed {
  Framed(const Shape& shape, bool upward) : samples(4096 + std::size_t{4} * 200 * 220, kGap) {
    const std::ptrdiff_t stride = shape.width + 5, plane = stride * shape.height + 11;
    view = {samples.data() + 64, shape, stride, plane, 0};
    if (upward) view = {view.row(shape.height - 1), shape, -stride, plane, 0};
  }
  // True where nothing but the picture's samples was written.
  bool gaps_untouched() const {
    std::vector<float> rest = samples;
    for (int c = 0; c < view.channels(); ++c) {
      for (int y = 0; y < view.height(); ++y)
        std::fill_n(rest.begin() + (view.row(y, c) - samples.data()), view.width(), kGap);
    }
    return std::all_of(rest.begin(), rest.end(), [](float v) { return v == kGap; });
  }
  std::vector<float> samples;
  View view;
};

// What is refused for its samples' places, with the words that say so.
void refused(const ConstView& in, const View& out, const char* words) {
  CHECK_THROWS_WITH_AS(Invert{}(in, out), doctest::Contains(words), InvalidArgument);
  CHECK_THROWS_WITH_AS(copy(in, out), doctest::Contains(words), InvalidArgument);
}

}  // namespace

TEST_CASE("strides: none below the width, no two channels in one place; rows from the bottom up are rows") {
  std::vector<float> in(1000, 0.25F), out(1000);
  const auto with = [](std::vector<float>& buffer, const Shape& shape, std::ptrdiff_t row, std::ptrdiff_t plane) {
    return View{buffer.data() + 500, shape, row, plane, 0};
  };
  const Shape gray{12, 5, 1}, color{12, 5, 3};
  for (const std::ptrdiff_t row : {0, 1, 11, -1, -11}) {
    CAPTURE(row);
    refused(with(in, gray, row, 0), with(out, gray, 12, 0), "row stride");
    refused(with(in, gray, 12, 0), with(out, gray, row, 0), "row stride");
    CHECK_THROWS_WITH_AS(Gaussian{}(with(in, gray, row, 0)), doctest::Contains("row stride"), InvalidArgument);
  }
  CHECK_NOTHROW(Invert{}(with(in, gray, 12, 0), with(out, gray, -12, 0)));
  // Planes one after the other either way, and rows of the channels in turns, are fine; anything between is not.
  for (const auto& [row, plane] : {std::pair{12, 60}, {12, -60}, {-12, 60}, {36, 12}, {36, -12}, {-36, 12}, {40, 13}})
    CHECK_NOTHROW(Invert{}(with(in, color, row, plane), with(out, color, 12, 60)));
  for (const auto& [row, plane] :
       {std::pair{12, 0}, {12, 59}, {12, -59}, {12, 12}, {36, 11}, {36, 20}, {40, 19}, {-12, 48}}) {
    CAPTURE(row);
    CAPTURE(plane);
    refused(with(in, color, row, plane), with(out, color, 12, 60), "plane stride");
    refused(with(in, color, 12, 60), with(out, color, row, plane), "plane stride");
  }
}

TEST_CASE("strides as large as a number can be are refused, not reckoned with") {
  std::vector<float> in(400), out(400);
  constexpr std::ptrdiff_t most = std::numeric_limits<std::ptrdiff_t>::max(),
                           least = std::numeric_limits<std::ptrdiff_t>::min();
  for (const std::ptrdiff_t far : {most, least, most / 4, least / 4, most / 16}) {
    CAPTURE(far);
    refused({in.data(), {5, 9, 1}, far, 0, 0}, {out.data(), {5, 9, 1}, 5, 0, 0}, "no memory is as large");
    refused({in.data(), {5, 9, 3}, 5, far, 0}, {out.data(), {5, 9, 3}, 5, 45, 0}, "no memory is as large");
    // Of one channel there is no way to the next.
    CHECK_NOTHROW(Invert{}(ConstView{in.data(), {5, 9, 1}, 5, far, 0}, View{out.data(), {5, 9, 1}, 5, far, 0}));
  }
}

TEST_CASE("interleaved buffers: strides that rows fit into, either way, and pictures at hand") {
  std::vector<std::uint8_t> bytes(2304 * 4);
  std::iota(bytes.begin(), bytes.end(), std::uint8_t{0});
  for (const std::ptrdiff_t stride : {5, 1, 2303, -5, -2303})
    CHECK_THROWS_WITH_AS(from_interleaved(bytes.data(), 768, 2, 3, stride), doctest::Contains("row_stride"),
                         InvalidArgument);
  const Image in = from_interleaved(bytes.data(), 10, 7, 3, 40);
  CHECK(in.at(4, 2, 1) == static_cast<float>(bytes[2 * 40 + 4 * 3 + 1]) / 255.0F);
  // The same picture from its last row on.
  const Image up = from_interleaved(bytes.data() + 6 * 40, 10, 7, 3, -40);
  for (int y = 0; y < 7; ++y) CHECK(std::equal(up.row(y, 2), up.row(y, 2) + 10, in.row(6 - y, 2)));
  Framed at_hand({10, 7, 3}, true);
  from_interleaved(bytes.data(), at_hand.view, 40);
  CHECK(identical(at_hand.view, in));
  CHECK(at_hand.gaps_untouched());
  std::vector<std::uint8_t> back(7 * 40, 99);
  for (const std::ptrdiff_t stride : {5, 29, -29})
    CHECK_THROWS_WITH_AS(to_interleaved(in, back.data(), stride), doctest::Contains("row_stride"), InvalidArgument);
  CHECK(std::all_of(back.begin(), back.end(), [](std::uint8_t b) { return b == 99; }));
  CHECK(to_interleaved(in, back.data() + 6 * 40, -40).total() == 0);
  for (int y = 0; y < 7; ++y)
    CHECK(std::equal(back.begin() + y * 40, back.begin() + y * 40 + 30, &bytes[static_cast<std::size_t>(6 - y) * 40]));
  CHECK(back[35] == 99);
}

TEST_CASE("every filter, a chain and a group write into a buffer what they give back, and nothing beside it") {
  for (const bool upward : {false, true}) {
    for (const int channels : {1, 4}) {
      const Image source = noise(61, 43, channels);
      Framed framed(source.shape(), upward);
      copy(source, framed.view);
      std::vector<Filter> all = test::every_filter(framed.view);
      all.emplace_back(Chain::parse("gaussian sigma=2 then gray then stretch"));
      all.emplace_back(Chain{});
      all.emplace_back(Within{.part = Rectangle{3, 4, 20, 30}, .chain = {Invert{}, Median{}}});
      int ran = 0;
      for (const Filter& f : all) {
        CAPTURE(f.text());
        Image expected;
        try {
          expected = f(framed.view);
        } catch (const InvalidArgument&) {
          continue;  // it wants color, or a part that is not there
        }
        Framed out(expected.shape(), !upward);
        f(framed.view, out.view);
        CHECK(identical(out.view, expected));
        CHECK(out.gaps_untouched());
        Image into(expected.shape());
        f(framed.view, into);
        CHECK(identical(into, expected));
        // Another shape, or no buffer, is refused before anything is worked out.
        Framed wrong({expected.width(), expected.height() + 1, expected.channels()}, false);
        CHECK_THROWS_AS(f(framed.view, wrong.view), InvalidArgument);
        CHECK(std::all_of(wrong.samples.begin(), wrong.samples.end(), [](float v) { return v == kGap; }));
        CHECK_THROWS_AS(f(framed.view, View{nullptr, expected.shape(), expected.width(), 0, 0}), InvalidArgument);
        ++ran;
      }
      CHECK(ran > 90);
      CHECK(identical(framed.view, source));
    }
  }
}

TEST_CASE("into the buffers of a chain by strips: the bits of the call that gives a picture, no input changed") {
  const Image in = noise(700, 900);
  const Chain chain = Chain::parse("contrast factor=1.2 then median radius=2 then clip then gamma exponent=0.7");
  const Image expected = chain(in), before = in;
  Image out(in.shape());
  chain(in, out);
  CHECK(identical(out, expected));
  CHECK(identical(in, before));
  CHECK_THROWS_AS(chain(out, out), InvalidArgument);
}

TEST_CASE("in place: what works on single pixels may, everything else says so and leaves the picture as it is") {
  for (const int channels : {1, 3, 4}) {
    const Image in = noise(83, 37, channels);
    int places = 0, refusals = 0;
    for (const Filter& f : test::every_filter(in)) {
      CAPTURE(f.about().name);
      Image expected;
      try {
        expected = f(in);
      } catch (const InvalidArgument&) {
        continue;
      }
      if (expected.shape() != in.shape()) continue;
      Image picture = in;
      if (f.about().access() == Access::point) {
        f(picture, picture);
        CHECK(identical(picture, expected));
        ++places;
      } else {
        CHECK_THROWS_WITH_AS(f(picture, picture), doctest::Contains("share memory"), InvalidArgument);
        CHECK(identical(picture, in));
        ++refusals;
      }
      // A place that is neither the same nor another one is refused for all.
      Image larger(in.width() + 1, in.height() + 1, in.channels());
      CHECK_THROWS_WITH_AS(
          f(larger.part({0, 0, in.width(), in.height()}), larger.part({1, 0, in.width(), in.height()})),
          doctest::Contains("share memory"), InvalidArgument);
    }
    CHECK(places > 30);
    CHECK(refusals > 50);
  }
  Image picture = noise(20, 10);
  const Image before = picture;
  map_samples(picture, picture, [](float v) { return 1 - v; });
  CHECK(picture.at(7, 7) == 1 - before.at(7, 7));
  map_pairs(picture, picture, picture, [](float a, float b) { return a + b; });
  CHECK(picture.at(7, 7) == 2 * (1 - before.at(7, 7)));
  // A gray second picture serves all channels: it must not be one of them.
  Image color = noise(20, 10, 3);
  CHECK_THROWS_AS(map_pairs(color, color.channel(1), color, [](float a, float b) { return a - b; }), InvalidArgument);
}

TEST_CASE("two parts of one buffer that share no sample are two buffers") {
  Image whole = noise(100, 60, 3);
  const Image before = whole;
  const Rectangle left{0, 0, 50, 60}, right{50, 0, 50, 60}, above{0, 0, 100, 30}, below{0, 30, 100, 30};
  for (const auto& [from, to] : {std::pair{left, right}, {right, left}, {above, below}, {below, above}}) {
    whole = before;
    Gaussian{}(whole.part(from), whole.part(to));
    CHECK(identical(whole.part(to), Gaussian{}(before.part(from))));
    CHECK(identical(whole.part(from), before.part(from)));
  }
  CHECK_THROWS_AS(Gaussian{}(whole.part({0, 0, 51, 60}), whole.part({49, 0, 51, 60})), InvalidArgument);
  // Even and odd rows, one channel and another, and the same rows from the other end.
  const auto rows = [&](int first) {
    return View{whole.row(first), {100, 30, 1}, 2 * (whole.row(1) - whole.row(0)), 0, 0};
  };
  CHECK_NOTHROW(Median{}(rows(0), rows(1)));
  CHECK_THROWS_AS(Median{}(rows(0), rows(0)), InvalidArgument);
  CHECK_NOTHROW(Median{}(whole.channel(0), whole.channel(2)));
  const View upward{whole.row(59), {100, 60, 1}, whole.row(0) - whole.row(1), 0, 0};
  CHECK_THROWS_AS(Invert{}(upward, whole.channel(0)), InvalidArgument);
  CHECK_NOTHROW(Invert{}(upward, whole.channel(1)));
}

TEST_CASE("a picture's parts, channels and filling; filters and chains that were moved from") {
  Image picture(9, 6, 3);
  picture.fill(0.5F);
  picture.part({2, 1, 3, 2}).channel(1).at(0, 0) = 1;
  CHECK(picture.at(2, 1, 1) == 1);
  CHECK(picture.channel(1).at(2, 1) == 1);
  CHECK(statistics(picture)[2].minimum == 0.5);
  for (const int c : {-1, 3}) {
    CHECK_THROWS_AS(picture.channel(c), InvalidArgument);
    CHECK_THROWS_AS(std::as_const(picture).channel(c), InvalidArgument);
  }
  CHECK_THROWS_AS(picture.part({7, 0, 3, 1}), InvalidArgument);

  Filter filter = Gaussian{.sigma = 2};
  const Filter taken = std::move(filter);
  CHECK(filter.text() == "gaussian sigma=2");  // NOLINT: what is asked is what is left
  CHECK(identical(filter(picture), taken(picture)));
  Chain chain = Chain::parse("invert then clip");
  const Chain steps = std::move(chain);
  CHECK(chain.text().empty());  // NOLINT
  CHECK(identical(chain(picture), picture));
  chain = steps;
  Chain other = Chain::parse("gray");
  other = std::move(chain);
  CHECK(other.text() == "invert then clip");
  CHECK(chain.steps().empty());  // NOLINT
  CHECK(identical(Engine().run(steps, picture).image, steps(picture)));
}

TEST_CASE("results that leave 0..1 by their nature are float data; what is lost in a file is told") {
  Image in = test::noon();
  REQUIRE(in.white_level() == 255);
  for (const char* text : {"convolve kernel=laplacian", "convolve kernel=1,2,1/2,4,2/1,2,1", "correlate kernel=sobel_x",
                           "gradient_magnitude", "gradient_direction", "high_pass", "band_pass", "to_oklab", "anscombe",
                           "gain factor=-1"}) {
    CAPTURE(std::string(text));
    CHECK(Chain::parse(text)(in).white_level() == 0);
  }
  for (const char* text :
       {"gaussian", "convolve kernel=sharpen", "convolve kernel=gaussian:sigma=2", "unsharp", "gain", "median",
        "stretch", "blend with=x", "multiply with=x", "absolute", "crop width=9 height=9"}) {
    CAPTURE(std::string(text));
    const Resources same{[&](const std::string&) { return in; }, {}};
    CHECK(Chain::parse(text, Catalogue::standard(), same)(in).white_level() == 255);
  }
  const Image soft = Gaussian{.sigma = 3}(in);
  for (const Filter& f : {Filter{Add{.with = soft}}, Filter{Subtract{.with = soft}}, Filter{Divide{.with = soft}}})
    CHECK(f(in).white_level() == 0);
  CHECK(map_samples(in, [](float v) { return v - 0.5F; }).white_level() == 0);
  // By strips, into a group, and with a step behind it as well.
  CHECK(Chain({Subtract{.with = soft}, Clip{.low = -1}})(in).white_level() == 0);
  CHECK(Chain({Clip{}, Convolve{.kernel = Kernel::laplacian()}, Clip{}})(in).white_level() == 0);
  CHECK(Within{.chain = {Subtract{.with = soft}}}(in).white_level() == 0);
  CHECK(Within{.chain = {Gaussian{}}}(in).white_level() == 255);

  const Image difference = Subtract{.with = soft}(in);
  // Half a level beyond an end still rounds to it.
  std::size_t below = 0, above = 0;
  for (int c = 0; c < 3; ++c) {
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        below += difference.at(x, y, c) * 65535 <= -0.5F;
        above += difference.at(x, y, c) * 65535 >= 65535.5F;
      }
    }
  }
  REQUIRE(below > 100'000);
  const test::Folder folder;
  Watch watch;
  std::vector<std::string> notes;
  watch.on_note = [&](const std::string& line) { notes.push_back(line); };
  const Watch::Active active(watch);
  const io::Written lost = io::write(folder / "difference.png", difference);
  CHECK(lost.bits == 16);
  CHECK(lost.saturation.below == below);
  CHECK(lost.saturation.above == above);
  for (const std::string& told : {lost.note, notes.empty() ? std::string() : notes[0]})
    CHECK(told.find(std::to_string(lost.saturation.total()) + " of " + std::to_string(in.shape().samples())) !=
          std::string::npos);
  CHECK(io::write(folder / "difference.tif", difference).note.empty());
  CHECK(identical(io::read(folder / "difference.tif").image, difference));
}
