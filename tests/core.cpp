#include "support.hpp"

#include <atomic>
#include <chrono>
#include <mutex>
#include <thread>
#include <tuple>

using namespace sieve;
using test::noise;

TEST_CASE("borders: the sample beyond the picture") {
  // Rows a b c d are indices 0 1 2 3; the expected index for positions -6..9.
  const auto line = [](Border b, int n) {
    std::string s;
    for (int i = -6; i < n + 6; ++i) {
      const auto k = border_index(i, n, b);
      s += k ? static_cast<char>('a' + *k) : '.';
    }
    return s;
  };
  CHECK(line(Border::edge, 4) == "aaaaaaabcddddddd");
  CHECK(line(Border::mirror, 4) == "cddcbaabcddcbaab");
  CHECK(line(Border::reflect, 4) == "abcdcbabcdcbabcd");
  CHECK(line(Border::wrap, 4) == "cdabcdabcdabcdab");
  CHECK(line(Border::zero, 4) == "......abcd......");
  for (const Border b : {Border::edge, Border::mirror, Border::reflect, Border::wrap})
    CHECK(line(b, 1) == std::string(13, 'a'));
}

TEST_CASE("image: black at first, aligned rows, copies are deep, parts are views") {
  Image a(33, 7, 3);
  CHECK(a.at(32, 6, 2) == 0);
  CHECK(reinterpret_cast<std::uintptr_t>(a.row(5, 1)) % 64 == 0);
  a.at(4, 5, 1) = 0.5F;
  Image b = a;
  b.at(4, 5, 1) = 0.25F;
  CHECK(a.at(4, 5, 1) == 0.5F);
  CHECK(a.view().part({4, 5, 2, 2}).at(0, 0, 1) == 0.5F);
  CHECK_THROWS_AS(a.view().part({30, 0, 4, 1}), InvalidArgument);
  CHECK_THROWS_AS(Image(0, 5), InvalidArgument);
  CHECK_THROWS_AS(Image(5, 5, 5), InvalidArgument);
  CHECK_THROWS_AS(Image(2000000000, 2000000000, 4), Error);
  Image large(3000, 700);  // large pictures come straight from the system
  CHECK(large.at(2999, 699) == 0);
}

TEST_CASE("buffers: every 8-bit and 16-bit level survives, saturation is counted") {
  std::vector<std::uint8_t> bytes(256 * 3);
  for (std::size_t i = 0; i < bytes.size(); ++i) bytes[i] = static_cast<std::uint8_t>(i);
  const Image image = from_interleaved(bytes.data(), 16, 16, 3);
  CHECK(image.white_level() == 255);
  CHECK(image.at(1, 0, 2) == 5 / 255.0F);
  std::vector<std::uint8_t> back(bytes.size());
  CHECK(to_interleaved(image, back.data()).total() == 0);
  CHECK(back == bytes);
  std::vector<std::uint16_t> words(65536), again(65536);
  for (std::size_t i = 0; i < words.size(); ++i) words[i] = static_cast<std::uint16_t>(i);
  (void)to_interleaved(from_interleaved(words.data(), 256, 256, 1), again.data());
  CHECK(again == words);

  Image odd(5, 1);
  const float values[] = {-0.1F, 1.2F, std::nanf(""), 0.5F, -0.0001F};
  for (int x = 0; x < 5; ++x) odd.at(x, 0) = values[x];
  std::uint8_t out[5];
  const Saturation s = to_interleaved(odd, out);
  CHECK(s.below == 1);  // -0.0001 rounds to level 0 like any other: nothing is lost
  CHECK(s.above == 1);
  CHECK(s.not_a_number == 1);
  CHECK(std::vector<int>(out, out + 5) == std::vector<int>{0, 255, 0, 128, 0});
  // A row stride in the caller's buffer, float samples, and a 12-bit scale.
  const float padded[] = {0, 0.5F, 9, 9, 1, 2, 9, 9};
  CHECK(from_interleaved(padded, 2, 2, 1, 4).at(1, 1) == 2);
  const std::uint16_t twelve[] = {4095, 0};
  CHECK(from_interleaved(twelve, 2, 1, 1, 0, 4095).at(0, 0) == 1);
  CHECK_THROWS_AS(from_interleaved(static_cast<const std::uint8_t*>(nullptr), 2, 2, 1), InvalidArgument);
  CHECK_THROWS_AS(from_interleaved(out, 2, 2, 1, 0, 256), InvalidArgument);
}

TEST_CASE("channels: luma by standard, split and join, alpha kept") {
  Image rgba(2, 1, 4);
  for (int c = 0; c < 4; ++c) rgba.at(0, 0, c) = 0.2F * static_cast<float>(c + 1);
  CHECK(to_gray(rgba).at(0, 0) == doctest::Approx(0.2126 * 0.2 + 0.7152 * 0.4 + 0.0722 * 0.6));
  CHECK(to_gray(rgba, GrayBy::rec601).at(0, 0) == doctest::Approx(0.299 * 0.2 + 0.587 * 0.4 + 0.114 * 0.6));
  CHECK(to_gray(rgba, GrayBy::average).at(0, 0) == doctest::Approx(0.4));
  CHECK(to_gray(rgba, GrayBy::blue).at(0, 0) == 0.6F);
  CHECK(to_gray(rgba).at(0, 0, 1) == 0.8F);
  CHECK(identical(join(split(rgba)), rgba));
  CHECK_THROWS_AS(take_channel(rgba, 4), InvalidArgument);
  const std::vector<Image> unlike = {Image(2, 1), Image(1, 2)};
  CHECK_THROWS_AS(join(unlike), InvalidArgument);
  CHECK_THROWS_WITH_AS(join(std::vector<Image>(5, Image(2, 1))), doctest::Contains("give 1 to 4"), InvalidArgument);
}

TEST_CASE("random: the published vectors, the normal distribution, independence of order") {
  // Known answers of Philox4x32-10, from its authors' distribution.
  const auto zero = RandomStream(0, 0).words(0);
  CHECK(zero == std::array<std::uint32_t, 4>{0x6627e8d5, 0xe169c58d, 0xbc57ac4c, 0x9b00dbd8});
  const auto ones = RandomStream(~0ULL, ~0ULL).words(~0ULL);
  CHECK(ones == std::array<std::uint32_t, 4>{0x408f276d, 0x41c83b0e, 0xa20bc7c6, 0x6d5451fd});
  CHECK(inverse_normal(0.975) == doctest::Approx(1.959963984540054).epsilon(1e-14));
  CHECK(inverse_normal(1e-10) == doctest::Approx(-6.361340902404056).epsilon(1e-13));
  const RandomStream random(9);
  double sum = 0, squares = 0;
  constexpr int n = 200000;
  for (int i = 0; i < n; ++i) {
    const double v = random.normal(static_cast<std::uint64_t>(i));
    sum += v;
    squares += v * v;
  }
  CHECK(std::abs(sum / n) < 5 / std::sqrt(n));
  CHECK(std::abs(squares / n - 1) < 5 * std::sqrt(2.0 / n));
}

TEST_CASE("one's own operations: of a sample, of two pictures, of a window") {
  const Image a = noise(37, 21, 4), b = noise(37, 21, 1, 2);
  const Image inverted = map_samples(a, [](float v) { return 1 - v; });
  CHECK(inverted.at(5, 6, 2) == 1 - a.at(5, 6, 2));
  CHECK(inverted.at(5, 6, 3) == a.at(5, 6, 3));  // alpha untouched
  CHECK(map_pairs(a, b, [](float p, float q) { return p - q; }).at(3, 4, 1) == a.at(3, 4, 1) - b.at(3, 4));
  CHECK_THROWS_AS(map_pairs(a, noise(36, 21), [](float p, float) { return p; }), InvalidArgument);
  const auto mean = [&](Border border) {
    return map_windows(
        b, 2, border,
        [](const Window& w) {
          float s = 0;
          for (int y = -2; y <= 2; ++y) {
            for (int x = -2; x <= 2; ++x) s += w(x, y);
          }
          return s / 25;
        },
        0.3F);
  };
  for (const Border border :
       {Border::edge, Border::mirror, Border::reflect, Border::wrap, Border::zero, Border::constant})
    CHECK(test::deviation(mean(border), reference::box(b, 2, border, 0.3)) < 1e-6);
  for (const Border border : {Border::inside, Border::full, Border::taper})
    CHECK_THROWS_AS(mean(border), InvalidArgument);
}

TEST_CASE("parallel rows: each once, exceptions come out, stop is heard, threads do not matter") {
  std::vector<std::atomic<int>> seen(1000);
  parallel_rows(1000, 4000, [&](int first, int last) {
    for (int i = first; i < last; ++i) ++seen[static_cast<std::size_t>(i)];
  });
  CHECK(std::all_of(seen.begin(), seen.end(), [](const auto& n) { return n == 1; }));
  CHECK_THROWS_WITH(parallel_rows(1000, 4000, [](int, int) { throw Error("from a worker"); }), "from a worker");

  const Image in = noise(700, 500, 3);
  set_threads(1);
  const Image one = Gaussian{.sigma = 9}(in), one_box = Box{.radius = 70}(in);
  set_threads(0);
  CHECK(identical(one, Gaussian{.sigma = 9}(in)));
  CHECK(identical(one_box, Box{.radius = 70}(in)));
  CHECK_THROWS_AS(set_threads(-1), InvalidArgument);
}

namespace {

// Work whose rows count themselves, so that what is heard of its progress can be held against what is done.
std::atomic<int> rows_done = 0;

struct SlowRows {
  Image operator()(const ConstView& in) const {
    Image out(in.shape);
    parallel_rows(
        in.height(), RowCost(in.width(), 1000),
        [&](int first, int last) {
          for (int y = first; y < last; ++y) {
            std::this_thread::sleep_for(std::chrono::microseconds(300 + in.width()));
            ++rows_done;
          }
        },
        8);
    return out;
  }
  static void describe(Description<SlowRows>& d) {
    d.called("slow_rows", "mine", "Waits.").window([](const SlowRows&) { return 1; });
  }
};

}  // namespace

TEST_CASE("progress is the share of the work that is done: in a filter, in a chain by strips, in work around both") {
  const Image small(60, 300), large(1024, 512);
  for (const auto& [in, steps, count] : {std::tuple{&small, 2, 1}, {&small, 2, 0}, {&large, 3, 1}, {&large, 3, 0}}) {
    set_threads(count);
    const Chain chain(std::vector<Filter>(static_cast<std::size_t>(steps), SlowRows{}));
    Watch watch;
    const Watch::Active active(watch);
    std::vector<std::pair<double, double>> heard;
    std::mutex mutex;
    rows_done = 0;
    watch.on_progress = [&](double share) {
      const std::lock_guard lock(mutex);
      heard.emplace_back(share, rows_done.load());
    };
    Progress outer(2);
    for (int i = 0; i < 2; ++i) {
      (void)chain(*in);
      outer.add(1);
    }
    set_threads(0);
    CAPTURE(in->width());
    REQUIRE(heard.size() >= 4);
    const double all = rows_done;
    for (const auto& [share, done] : heard) {
      CAPTURE(share);
      CHECK(share < 1);
      CHECK(share < done / all + 0.2);
      // Where others work on, rows may be done between the report and its hearing.
      if (count == 1 && share > 0.2 && share < 0.8) CHECK(share > done / all - 0.2);
    }
    CHECK(heard.front().first < 0.3);
    CHECK(heard.back().first > 0.7);
  }
}

TEST_CASE("phases that were told of one part end with it, and so may the memory that they lie in") {
  Watch watch;
  const Watch::Active active(watch);
  std::vector<double> heard, ends = {0.1, 1};
  watch.on_progress = [&](double share) { heard.push_back(share); };
  const auto report = [](Progress& p) {
    std::this_thread::sleep_for(std::chrono::milliseconds(60));  // reports that follow each other at once are left out
    p.add(1);
  };
  Progress whole(2);
  whole.expect(1, ends);
  {
    Progress first_phase(2);
    report(first_phase);
    Progress second_phase(1);
  }
  report(whole);
  ends = {1e9, 1e9};
  Progress part(2);
  report(part);
  REQUIRE(heard.size() == 3);
  CHECK(heard[0] == doctest::Approx(0.025));
  CHECK(heard[1] == doctest::Approx(0.5));
  CHECK(heard[2] == doctest::Approx(0.75));
}

TEST_CASE("a stop is no error: no general catch swallows it") {
  static_assert(!std::is_base_of_v<std::exception, Canceled>);
  const Image in = noise(64, 64);
  Watch watch;
  const Watch::Active active(watch);
  CHECK_NOTHROW(checkpoint());
  watch.stop();
  CHECK_THROWS_AS(checkpoint(), Canceled);
  bool swallowed = false, stopped = false;
  try {
    try {
      (void)Gaussian{.sigma = 9}(in);
    } catch (const std::exception&) {
      swallowed = true;
    }
  } catch (const Canceled& c) {
    stopped = std::string(c.what()) == "stopped on request";
  }
  CHECK_FALSE(swallowed);
  CHECK(stopped);
}

TEST_CASE("lumas: the weights of the standards, and alpha is copied alone") {
  for (const auto& [by, red, green] : {std::tuple{GrayBy::rec709, 0.2126, 0.7152},
                                       {GrayBy::rec601, 0.299, 0.587},
                                       {GrayBy::rec2020, 0.2627, 0.6780}}) {
    const LumaWeights w = luma_weights(by);
    CHECK(w.red == red);
    CHECK(w.green == green);
    CHECK(w.red + w.green + w.blue == doctest::Approx(1).epsilon(1e-12));
  }
  CHECK_THROWS_AS(luma_weights(GrayBy::average), InvalidArgument);
  const Image from = noise(9, 5, 4, 1), other = noise(9, 5, 4, 2);
  Image to = other;
  copy_alpha(from, to);
  CHECK(identical(to.channel(3), from.channel(3)));
  for (int c = 0; c < 3; ++c) CHECK(identical(to.channel(c), other.channel(c)));
  Image opaque = noise(9, 5, 3, 3), before = opaque;
  copy_alpha(opaque, opaque);
  CHECK(identical(opaque, before));
}

TEST_CASE("describe: ranges are checked with what is allowed, nearest names") {
  CHECK_THROWS_WITH(Gaussian{.sigma = -1}(noise(4, 4)),
                    "gaussian: sigma=-1 is out of range: give a number from 0 to 500 (pixels)");
  CHECK_THROWS_AS(Gaussian{.sigma = std::nanf("")}(noise(4, 4)), InvalidArgument);
  CHECK_THROWS_AS(Box{.radius = -1}(noise(4, 4)), InvalidArgument);
  const std::vector<std::string> names = {"gaussian", "gray", "gradient_magnitude"};
  CHECK(nearest_name("gausian", names) == "gaussian");
  CHECK(nearest_name("grya", names) == "gray");
  CHECK(nearest_name("gradient", names) == "gradient_magnitude");
  CHECK(nearest_name("xylophone", names).empty());
}

TEST_CASE("describe: a struct of one's own with every kind of field") {
  struct All {
    bool flag = true;
    int whole = 3;
    std::uint64_t seed = 7;
    float number = 0.25F;
    double fine = 0.1;
    std::optional<float> maybe = {};
    Border border = Border::wrap;
    static void describe(Description<All>& d) {
      d.called("all", "mine", "Everything.").wrong("never");
      d.field("flag", &All::flag, "", "a flag").field("whole", &All::whole, "pixels", "a whole number", {-5, 5});
      d.field("seed", &All::seed, "", "a seed").field("number", &All::number, "", "a number", {0, 1});
      d.field("fine", &All::fine, "", "a double")
          .field("maybe", &All::maybe, "", "may be left out", {1, 2})
          .field("border", &All::border, "", "a border");
    }
  };
  const FilterDescription& about = description_of<All>();
  All a;
  CHECK(about.text(&a) == "all");
  CHECK(about.text(&a, true) == "all flag=yes whole=3 seed=7 number=0.25 fine=0.1 maybe=auto border=wrap");
  const auto set = [&](const char* name, const char* value) { about.set(&a, name, value, {}); };
  set("flag", "no");
  set("whole", "-5");
  set("seed", "9007199254740993");  // more than a double tells apart
  set("number", "1e-3");
  set("maybe", "1.5");
  CHECK(a.flag == false);
  CHECK(a.seed == 9007199254740993ULL);
  CHECK(a.maybe == 1.5F);
  CHECK(about.text(&a) == "all flag=no whole=-5 seed=9007199254740993 number=0.001 maybe=1.5");
  set("maybe", "auto");
  CHECK_FALSE(a.maybe.has_value());
  for (const auto& [name, value] : {std::pair{"flag", "true"},
                                    {"whole", "6"},
                                    {"whole", "2.0"},
                                    {"whole", "99999999999"},
                                    {"seed", "-1"},
                                    {"number", "1.01"},
                                    {"number", "nan"},
                                    {"number", "inf"},
                                    {"number", "0x1"},
                                    {"number", ""},
                                    {"maybe", "3"},
                                    {"border", "Edge"},
                                    {"none", "1"}}) {
    const std::string shown = std::string(name) + "=" + value;
    CAPTURE(shown);
    CHECK_THROWS_AS(set(name, value), InvalidArgument);
  }
  a.number = 2;
  CHECK_THROWS_WITH(sieve::check(a), "all: number=2 is out of range: give a number from 0 to 1");
}

TEST_CASE("views: parts and channels of a caller's planes, copies and comparisons bit for bit") {
  std::vector<float> planes(3 * 10 * 16);
  for (std::size_t i = 0; i < planes.size(); ++i) planes[i] = static_cast<float>(i);
  const ConstView v{planes.data(), {12, 10, 3}, 16, 160, 255};
  CHECK(v.at(3, 2, 1) == 160 + 2 * 16 + 3);
  CHECK(v.channel(2).at(0, 0) == 320);
  CHECK(v.part({2, 3, 4, 5}).at(1, 1, 1) == v.at(3, 4, 1));
  CHECK(v.part({2, 3, 4, 5}).white_level == 255);
  const Image copy_of_part(v.part({2, 3, 4, 5}));
  CHECK(copy_of_part.white_level() == 255);
  CHECK(identical(copy_of_part, v.part({2, 3, 4, 5})));
  CHECK_FALSE(identical(copy_of_part, v.part({2, 3, 4, 4})));
  Image nan(2, 2), same(2, 2);
  nan.at(0, 0) = same.at(0, 0) = std::nanf("");
  CHECK(identical(nan, same));
  CHECK_THROWS_AS(copy(v, Image(12, 10, 1).view()), InvalidArgument);
  CHECK(std::string(text_of({7, 5, 1}).text) == "7x5, 1 channel");
  CHECK(bits_of(7) == 3);
  CHECK(bits_of(0) == 32);
  Image moved = std::move(nan);
  CHECK(moved.width() == 2);
  moved = Image(copy_of_part);
  CHECK(moved.width() == 4);
}
