// Histograms, equalization, CLAHE, matching: tables worked out by hand, properties, hostile pictures.

#include "sieve/io.hpp"
#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

// A picture of levels 0..top, each `counts[k]` times, in rows of 8.
Image of_counts(const std::vector<int>& counts, std::uint32_t top) {
  std::vector<std::uint8_t> levels;
  for (std::size_t k = 0; k < counts.size(); ++k)
    levels.insert(levels.end(), static_cast<std::size_t>(counts[k]), static_cast<std::uint8_t>(k));
  return from_interleaved(levels.data(), 8, static_cast<int>(levels.size()) / 8, 1, 0, top);
}

std::vector<std::uint32_t> mapped(const std::vector<LevelRow>& table) {
  std::vector<std::uint32_t> m;
  for (const LevelRow& r : table) m.push_back(r.mapped);
  return m;
}

// Odd ones among the sane: a constant, two levels, one pixel, one row, NaN and infinities.
std::vector<Image> odd_pictures() {
  std::vector<Image> all = {Image(5, 7), Image(1, 1), noise(1, 30), noise(31, 1, 3), noise(17, 13, 4)};
  for (int x = 0; x < 5; ++x) all[0].at(x, 3) = 1;
  Image flat(6, 4, 3);
  for (int c = 0; c < 3; ++c) {
    for (int i = 0; i < 24; ++i) flat.at(i % 6, i / 6, c) = 0.4F;
  }
  all.push_back(flat);
  Image broken = noise(12, 12, 3);
  broken.at(3, 3, 0) = std::nanf("");
  broken.at(4, 3, 1) = std::numeric_limits<float>::infinity();
  broken.at(5, 3, 2) = -std::numeric_limits<float>::infinity();
  all.push_back(broken);
  Image none(3, 3);
  for (int i = 0; i < 9; ++i) none.at(i % 3, i / 3) = std::nanf("");
  all.push_back(none);
  return all;
}

}  // namespace

TEST_CASE("histogram of any bins and range against counting one by one; luma; forms that add up") {
  Image in = noise(73, 41, 3);
  in.at(2, 2, 0) = std::nanf("");
  in.at(3, 2, 0) = std::numeric_limits<float>::infinity();
  for (const int bins : {1, 2, 7, 256, 1000, 5000}) {
    for (const auto& [low, high] : {std::pair{0.0, 1.0}, {-0.1, 0.7}, {0.3, 0.30001}, {-1e6, 1e6}}) {
      CAPTURE(bins);
      CAPTURE(low);
      Histogram want{low, high, false, std::vector<std::size_t>(static_cast<std::size_t>(bins))};
      for (int i = 0; i < 73 * 41; ++i) {
        const double v = static_cast<double>(in.at(i % 73, i / 73));
        if (!std::isfinite(v)) {
          ++want.not_finite;
        } else if (v < low || v > high) {
          ++(v < low ? want.below : want.above);
        } else {
          ++want.counts[std::min(static_cast<std::size_t>((v - low) * (bins / (high - low))),
                                 static_cast<std::size_t>(bins) - 1)];
        }
      }
      const Histogram h = histogram(in, {.channel = 0, .bins = bins, .low = low, .high = high});
      CHECK(h.counts == want.counts);
      CHECK(h.below == want.below);
      CHECK(h.above == want.above);
      CHECK(h.not_finite == 2);
    }
  }
  CHECK(histogram(in, {.channel = luma_channel, .bins = 64}).counts ==
        histogram(to_gray(in), {.channel = 0, .bins = 64}).counts);
  const Histogram h = histogram(of_counts({2, 0, 4, 2}, 3), {.channel = 0});
  CHECK(h.by_level);
  CHECK(h.counts == std::vector<std::size_t>{2, 0, 4, 2});
  CHECK(h.probabilities() == std::vector<double>{0.25, 0, 0.5, 0.25});
  CHECK(h.cumulative() == std::vector<double>{0.25, 0.25, 0.75, 1});
  CHECK(h.center(2) == doctest::Approx(2.0 / 3));
  CHECK(histogram(Image(2, 2), {.channel = 0, .bins = 10, .low = 0.5, .high = 1}).cumulative().back() == 0);
  CHECK_THROWS_AS(histogram(in, {.channel = 0, .bins = (1 << 24) + 1}), InvalidArgument);
  CHECK_THROWS_AS(histogram(in, {.channel = -2}), InvalidArgument);
}

TEST_CASE("the table of equalization, worked out by hand for 3 bits, 2 bits and a tie") {
  // 64 pixels. Cumulative 2, 10, 26, 42, 52, 58, 62, 64 of 64, times 7: 0.22, 1.09, 2.84, 4.59, 5.69, 6.34, 6.78, 7.
  const auto table = level_table(of_counts({2, 8, 16, 16, 10, 6, 4, 2}, 7));
  CHECK(mapped(table) == std::vector<std::uint32_t>{0, 1, 3, 5, 6, 6, 7, 7});
  CHECK(table[2].count == 16);
  CHECK(table[2].probability == 0.25);
  CHECK(table[2].cumulative == 26.0 / 64);
  CHECK(table[2].scaled == doctest::Approx(2.84375));
  CHECK(table[6].new_count == 16);
  CHECK(table[7].new_count == 6);
  CHECK(table[2].new_count == 0);
  // Half away from zero: 4 of 8 pixels at level 0 of 0..3 is 1.5, which becomes 2.
  CHECK(mapped(level_table(of_counts({4, 0, 0, 4}, 3))) == std::vector<std::uint32_t>{2, 2, 2, 3});
  // 16 bits: a level for each of 65536.
  std::vector<std::uint16_t> deep = {0, 1000, 1000, 65535};
  const auto sixteen = level_table(from_interleaved(deep.data(), 4, 1, 1));
  CHECK(sixteen.size() == 65536);
  CHECK(sixteen[0].mapped == 16384);     // 16383.75
  CHECK(sixteen[1000].mapped == 49151);  // 49151.25
  CHECK(sixteen[999].mapped == 16384);
  CHECK_THROWS_AS(level_table(Image(2, 2), 0, 1), InvalidArgument);
}

TEST_CASE("equalize is that table, on gray and by luma; twice changes little; few levels are told") {
  const Image in = of_counts({2, 8, 16, 16, 10, 6, 4, 2}, 7);
  const auto table = level_table(in);
  Watch watch;
  std::vector<std::string> notes;
  watch.on_note = [&](const std::string& line) { notes.push_back(line); };
  const Watch::Active active(watch);
  const Image out = Equalize{}(in);
  for (int i = 0; i < 64; ++i) {
    const auto k = static_cast<std::size_t>(std::lround(in.at(i % 8, i / 8) * 7));
    CHECK(out.at(i % 8, i / 8) == static_cast<float>(table[k].mapped) / 7);
  }
  REQUIRE(notes.size() == 1);
  CHECK(notes[0].find("8 levels became 6") != std::string::npos);
  notes.clear();
  (void)Equalize{}(noise(20, 20));
  CHECK(notes.back().find("256 levels") != std::string::npos);
  const Image smooth = map_samples(Gaussian{.sigma = 2}(noise(120, 90, 3)), [](float v) { return 0.3F + 0.3F * v; });
  for (const ColorBy color : {ColorBy::luma, ColorBy::channels}) {
    CAPTURE(static_cast<int>(color));
    const Image once = Equalize{.levels = 256, .color = color}(smooth),
                twice = Equalize{.levels = 256, .color = color}(once);
    CHECK(compare(twice, once).mae < 0.004);
    CHECK(compare(once, smooth).mae > 0.1);
  }
  // The hue stays: channels keep their order and their relative distances.
  const Image once = Equalize{}(smooth);
  for (int i = 0; i < 120 * 90; i += 97) {
    const auto at = [&](const Image& p, int c) { return static_cast<double>(p.at(i % 120, i / 120, c)); };
    const double before = (at(smooth, 0) - at(smooth, 1)) * (at(once, 2) - at(once, 1)),
                 after = (at(once, 0) - at(once, 1)) * (at(smooth, 2) - at(smooth, 1));
    CHECK(before == doctest::Approx(after).epsilon(1e-3).scale(1e-3));
  }
}

TEST_CASE("equalize, CLAHE and matching against their definitions on odd pictures and options") {
  const SharedImage other(noise(40, 9, 3, 5));
  for (const Image& in : odd_pictures()) {
    CAPTURE(text_of(in.shape()).text);
    const bool empty = statistics(in)[0].not_finite == in.shape().pixels();
    for (const ColorBy color : {ColorBy::luma, ColorBy::channels}) {
      for (const int levels : {2, 17, 256})
        CHECK(deviation(Equalize{.levels = levels, .color = color}(in),
                        reference::plain(Equalize{.levels = levels, .color = color}, in)) < 2e-6);
      for (const Clahe& f :
           {Clahe{.columns = 3, .rows = 2, .color = color}, Clahe{.size = 5, .limit = 40, .bins = 32, .color = color},
            Clahe{.columns = 256, .rows = 256, .strength = 0.5F, .color = color}}) {
        test::check_as_defined(f, in);
      }
      if (empty) {
        CHECK_THROWS_AS((Match{.with = other, .color = color}(in)), InvalidArgument);
        continue;
      }
      CHECK(deviation(Match{.with = other, .color = color, .bins = 64}(in),
                      reference::plain(Match{.with = other, .color = color, .bins = 64}, in)) < 1e-4);
      const MatchDistribution d{.to = LevelDistribution::parse("normal:deviation=0.1"), .color = color, .bins = 300};
      test::check_as_defined(d, in);
    }
  }
  // Sizes that the tiles do not divide, integer sources.
  const Image file = io::read(test::data + "/fog.png").image;
  const Image part(file.view().part({100, 200, 61, 47}));
  for (const Clahe& f : {Clahe{}, Clahe{.columns = 7, .rows = 5, .limit = 2}, Clahe{.size = 20}})
    test::check_as_defined(f, part);
  test::check_as_defined(Match{.with = part}, file);
}

TEST_CASE(
    "CLAHE: strength 0 and limit 1 give the input back, contrast grows where there was none, tiles leave no seams") {
  const Image in = noise(67, 45, 3);
  CHECK(identical(Clahe{.strength = 0}(in), in));
  CHECK(deviation(Clahe{.limit = 1}(in), in) < 1e-5);
  // A faint texture on a slope from dark to bright.
  Image faint(256, 192);
  const RandomStream random(3);
  for (int y = 0; y < 192; ++y) {
    for (int x = 0; x < 256; ++x)
      faint.at(x, y) = 0.1F + 0.003F * static_cast<float>(x) +
                       0.01F * static_cast<float>(random.uniform(static_cast<std::uint64_t>(y * 256 + x)));
  }
  const Image strong = Clahe{.limit = 8}(faint), weak = Clahe{.limit = 2}(faint);
  const auto roughness = [](const Image& v) { return statistics(GradientMagnitude{}(v))[0].mean; };
  CHECK(roughness(weak) > 1.2 * roughness(faint));
  CHECK(roughness(strong) > 1.2 * roughness(weak));
  // A smooth ramp has no step anywhere, also not where tiles meet.
  Image ramp(200, 100);
  for (int y = 0; y < 100; ++y) {
    for (int x = 0; x < 200; ++x) ramp.at(x, y) = static_cast<float>(x) / 199;
  }
  const Image mapped_ramp = Clahe{.limit = 3}(ramp);
  for (int x = 1; x < 200; ++x) CHECK(std::abs(mapped_ramp.at(x, 50) - mapped_ramp.at(x - 1, 50)) < 0.05F);
}

TEST_CASE("matching to oneself is the identity; to another picture the histograms agree; the map rises") {
  const Image in = noise(90, 70, 3);
  CHECK(deviation(Match{.with = in}(in), in) < 2e-6);
  const Image file = test::noon(), fog = io::read(test::data + "/fog.png").image;
  CHECK(deviation(Match{.with = file}(file), file) == 0);
  const Image out = Match{.with = fog}(file);
  // No level of the result is farther from the wanted curve than one step of the source.
  for (int c = 0; c < 3; ++c) {
    const auto want = histogram(fog, {.channel = c}).cumulative(), have = histogram(out, {.channel = c}).cumulative(),
               from = histogram(file, {.channel = c}).probabilities();
    const double step = *std::max_element(from.begin(), from.end());
    for (std::size_t k = 0; k < 256; ++k)
      CHECK(std::abs(want[k] - have[k]) <= step + *std::max_element(want.begin(), want.begin() + 1));
  }
  // Brighter before is not darker after.
  for (int i = 1; i < 768 * 512; i += 613) {
    const float a = file.at(i % 768, i / 768), b = file.at((i * 7) % 768, (i / 11) % 512), p = out.at(i % 768, i / 768),
                q = out.at((i * 7) % 768, (i / 11) % 512);
    CHECK((a <= b ? p <= q : p >= q));
  }
  // A float picture of two levels goes to two levels.
  Image two(10, 1), three(9, 1);
  for (int x = 0; x < 10; ++x) two.at(x, 0) = x < 5 ? 0.0F : 1.0F;
  for (int x = 0; x < 9; ++x) three.at(x, 0) = 0.25F * static_cast<float>(x / 3 + 1);
  CHECK(deviation(Match{.with = two}(two), two) == 0);
  CHECK(Match{.with = three}(two).at(0, 0) == doctest::Approx(0.25).epsilon(0.01));
  CHECK(Match{.with = three}(two).at(9, 0) == doctest::Approx(0.75).epsilon(0.01));
  CHECK_THROWS_AS(Match{}(in), InvalidArgument);
}

TEST_CASE("distributions: quantiles, forms of the result, text that is refused") {
  const Image in = noise(300, 200);
  const Image flat = MatchDistribution{}(in),
              bell = MatchDistribution{.to = LevelDistribution::parse("normal:mean=0.4,deviation=0.1")}(in);
  const Image lopsided = MatchDistribution{.to = LevelDistribution::parse("rayleigh:scale=0.2")}(in);
  CHECK(statistics(flat)[0].mean == doctest::Approx(0.5).epsilon(0.005));
  CHECK(statistics(flat)[0].deviation == doctest::Approx(std::sqrt(1.0 / 12)).epsilon(0.01));
  CHECK(statistics(bell)[0].mean == doctest::Approx(0.4).epsilon(0.005));
  CHECK(statistics(bell)[0].deviation == doctest::Approx(0.1).epsilon(0.01));
  CHECK(percentile(lopsided, 0.5) == doctest::Approx(0.2 * std::sqrt(2 * std::log(2))).epsilon(0.01));
  const LevelDistribution wedge = LevelDistribution::parse("level,density\n0,0\n1,2\n");
  CHECK(wedge.quantile(0.25) == doctest::Approx(0.5).epsilon(0.01));
  CHECK(wedge.quantile(1) == 1);
  CHECK(LevelDistribution::parse(wedge.text()).quantile(0.7) == wedge.quantile(0.7));
  const LevelDistribution twin = LevelDistribution::parse("0.1,1/0.2,1/0.200001,0/0.8,0/0.800001,1/0.9,1");
  CHECK(twin.quantile(0) == doctest::Approx(0.1));
  CHECK(twin.quantile(0.49) < 0.21);
  CHECK(twin.quantile(0.51) > 0.79);
  for (const char* wrong :
       {"", "gauss", "uniform:a=1", "normal:deviation=0", "normal:mean=2", "normal:sigma=1", "rayleigh:scale=x", "0,1",
        "0,1/0,2", "0.5,1/0.2,1", "0,-1/1,1", "0,0/1,0", "0,nan/1,1", "0,1/2,1"}) {
    CAPTURE(wrong);
    CHECK_THROWS_AS(LevelDistribution::parse(wrong), InvalidArgument);
  }
}

TEST_CASE("a stretched comb is recognized, smooth histograms, noise and charts are not one") {
  const Image fog = io::read(test::data + "/fog.png").image;
  const auto as_file = [](const Image& v) {
    std::vector<std::uint8_t> bytes(v.shape().samples());
    (void)to_interleaved(v, bytes.data());
    return from_interleaved(bytes.data(), v.width(), v.height(), v.channels());
  };
  CHECK_FALSE(comb(histogram(fog, {.channel = luma_channel})).found);
  const Image stretched = as_file(Stretch{.percent = 1}(as_file(to_gray(fog))));
  const HistogramComb c = comb(histogram(stretched, {.channel = 0}));
  CHECK(c.found);
  CHECK(c.share > 0.5);  // 285 of 1000 of the range was in use: about two of three levels stay empty
  CHECK(c.share < 0.8);
  // The same stretch before the picture was cut down to 8 bits leaves no comb.
  CHECK_FALSE(comb(histogram(as_file(Stretch{}(map_samples(noise(200, 200), [](float v) { return 0.4F + 0.2F * v; }))),
                             {.channel = 0}))
                  .found);
  CHECK_FALSE(comb(histogram(of_counts({8, 0, 0, 16, 0, 0, 0, 8}, 7), {.channel = 0})).found);
  CHECK(diagnose(stretched).comb.found);
  CHECK(diagnose(as_file(Stretch{.percent = 1}(fog))).comb.found);
  CHECK_FALSE(diagnose(test::noon()).comb.found);
}

TEST_CASE("valleys lie between peaks, in the middle of what is empty") {
  Histogram h{0, 1, false, {0, 9, 9, 3, 0, 0, 0, 4, 8, 2, 5, 1}};
  CHECK(valleys_between(h, {1, 8, 10}) == std::vector<std::size_t>{5, 9});
  CHECK(valleys_between(h, {4}).empty());
}

TEST_CASE("parameters as text: curves, distributions, footprints and scales go through chain text, recipes and files") {
  const test::Folder f;
  test::put(f / "curve.txt", "0,0\n0.3,0.6 # lifted\n1,1\n");
  test::put(f / "form.csv", "level,density\n0,0\n0.5,1\n1,0\n");
  test::put(f / "ring.txt", "1,1,1\n1,0,1\n1,1,1\n");
  const Resources files{{}, [](const std::string& name) { return test::contents(name); }};
  for (const std::string& text :
       {"curve points=@" + (f / "curve.txt"), "match_distribution to=@" + (f / "form.csv"),
        "median footprint=@" + (f / "ring.txt"), std::string("retinex scales=5,40"),
        std::string("match_distribution to=normal:mean=0.3,deviation=0.1"), std::string("curve points=0,0.1/1,0.9")}) {
    CAPTURE(text);
    const Chain chain = Chain::parse(text, Catalogue::standard(), files);
    // What was read from a file stands in the text itself afterwards.
    const Chain again = Chain::parse(chain.text());
    CHECK(again.text(true) == chain.text(true));
    CHECK(Chain::parse(recipe_words(recipe_text(chain), "r.toml")).text(true) == chain.text(true));
    CHECK(chain_text_of_record(record_of(chain)) == chain.text(true));
    const Image in = noise(40, 30, 3);
    CHECK(identical(again(in), chain(in)));
    CHECK_THROWS_AS(Chain::parse("curve points=@" + (f / "curve.txt")), InvalidArgument);  // no way to open files
  }
  CHECK(std::abs(Chain::parse("curve points=@" + (f / "curve.txt"), Catalogue::standard(),
                              files)(map_samples(Image(1, 1), [](float) { return 0.3F; }))
                     .at(0, 0) -
                 0.6F) < 1e-6F);
}

TEST_CASE("tone in a group: only the rectangle changes, and a mask blends") {
  const Image in = io::read(test::data + "/fog.png").image;
  const Image out = Chain::parse("within part=100,100,200,150 then equalize then end")(in);
  CHECK(identical(out.view().part({0, 0, 768, 100}), in.view().part({0, 0, 768, 100})));
  CHECK(identical(out.view().part({100, 100, 200, 150}), Equalize{}(in).view().part({100, 100, 200, 150})));
}

TEST_CASE("tone does not depend on the threads, and writes into a caller's buffer as it makes pictures") {
  const Image in = noise(333, 211, 3);
  const SharedImage other(noise(50, 60, 3, 9));
  for (const char* text :
       {"equalize", "clahe", "match_distribution", "auto_exposure", "white_balance", "threshold", "saturate",
        "flatten by=polynomial", "homomorphic", "retinex", "opening", "stretch percent=1"}) {
    CAPTURE(std::string(text));
    const Chain f = Chain::parse(text);
    const Image many = f(in);
    set_threads(1);
    CHECK(identical(f(in), many));
    set_threads(0);
  }
  Image buffer(in.shape());
  Clahe{}(in, buffer.view());
  CHECK(identical(buffer, Clahe{}(in)));
  Match{.with = other}(in, buffer.view());
  CHECK(identical(buffer, Match{.with = other}(in)));
  // A part of a larger picture, with strides of its own, is the same as that part alone.
  const ConstView part = in.view().part({17, 11, 120, 90});
  for (const char* text :
       {"equalize", "clahe columns=3 rows=3", "to_oklab", "gamma", "threshold by=local", "median radius=2",
        "median radius=6", "nonlocal_means patch=1 search=2", "total_variation"}) {
    CAPTURE(std::string(text));
    CHECK(identical(Chain::parse(text)(part), Chain::parse(text)(Image(part))));
  }
  CHECK_THROWS_AS(Equalize{}(in, Image(3, 3).view()), InvalidArgument);
  CHECK_THROWS_AS(Clahe{}(in, View{const_cast<float*>(in.view().data), in.shape(), in.view().row_stride,
                                   in.view().plane_stride, 0}),
                  InvalidArgument);  // its own input
}

TEST_CASE("notes: heard in the thread that filters, with and without a listener, nested watches apart") {
  const Image in = io::read(test::data + "/night.png").image;
  CHECK_FALSE(notes_heard());
  CHECK_NOTHROW(AutoExposure{}(in));
  Watch outer, inner;
  std::vector<std::string> first, second;
  outer.on_note = [&](const std::string& line) { first.push_back(line); };
  const Watch::Active active(outer);
  CHECK(notes_heard());
  (void)AutoExposure{}(in);
  REQUIRE(first.size() == 1);
  CHECK(first[0].find("gamma") == 0);
  {
    inner.on_note = [&](const std::string& line) { second.push_back(line); };
    const Watch::Active within(inner);
    (void)WhiteBalance{}(in);
  }
  CHECK(first.size() == 1);
  REQUIRE(second.size() == 1);
  CHECK(second[0].find("factors in linear light") == 0);
}
