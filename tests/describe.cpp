// What a description brings: groups and chains as filters, search, borders, definitions of one's own.

#include <map>
#include <optional>

#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

// A group of one's own: its chain runs on every other row only.
struct EvenRows {
  Real strength = 1;
  Chain chain = {};
  Image operator()(const ConstView& in) const {
    check(*this);
    const Image changed = chain(in);
    Image out(in);
    for (int c = 0; c < in.shape.color_channels(); ++c) {
      for (int y = 0; y < in.height(); y += 2) {
        for (int x = 0; x < in.width(); ++x) out.at(x, y, c) += strength * (changed.at(x, y, c) - out.at(x, y, c));
      }
    }
    return out;
  }
  static void describe(Description<EvenRows>& d) {
    d.called("even_rows", "mine", "A chain on every other row.").wrong("the rows belong together.").also({"interlace"});
    d.group(&EvenRows::chain);
    d.field("strength", &EvenRows::strength, "", "how much of it", {0, 1});
  }
};

// A filter that says no more than it must.
struct Posterized {
  int levels = 4;
  Image operator()(const ConstView& in) const {
    check(*this);
    return map_samples(in, [n = static_cast<float>(levels - 1)](float v) { return std::round(v * n) / n; });
  }
  static void describe(Description<Posterized>& d) {
    d.called("posterized", "mine", "Few levels.").field("levels", &Posterized::levels, "levels", "how many", {2, 256});
  }
};

// A filter with every kind of field and hook.
struct Halves {
  Real radius = 2;
  std::optional<float> level = {};
  Seed seed = 7;
  Border border = Border::mirror;
  Real fill = 0.25;
  Image operator()(const ConstView& in) const {
    check(*this);
    return Shrink{.factor = 2}(Gaussian{.sigma = radius}(in));
  }
  Halves with_level(const ConstView& in) const {
    Halves known = *this;
    known.level = static_cast<float>(statistics(in)[0].mean);
    return known;
  }
  static void describe(Description<Halves>& d) {
    d.called("halves", "mine", "Half the size.");
    d.window([](const Halves& f) { return static_cast<int>(4 * f.radius); });
    d.measures([](const Halves& f) { return !f.level; }, &Halves::with_level);
    d.shape([](const Halves&, const Shape& in) { return Shape{(in.width + 1) / 2, (in.height + 1) / 2, in.channels}; });
    d.meaning(
        [](const Halves& f) { return "looks " + std::to_string(static_cast<int>(4 * f.radius)) + " pixels far"; });
    d.stages([](const Halves&, const ConstView& in) { return std::vector<Stage>{{"input", Image(in)}}; });
    d.whole("radius", &Halves::radius, "pixels", "how far", {0, 20});
    d.field("level", &Halves::level, "0..1 scale", "measured where auto", {0, 1});
    d.field("seed", &Halves::seed, "", "of nothing");
    d.border(&Halves::border, &Halves::fill, {Border::edge, Border::mirror, Border::wrap, Border::constant});
  }
};

// A filter whose parameter is a text.
struct Labeled {
  std::string label = "none";
  Image operator()(const ConstView& in) const {
    Image out(in);
    out.at(0, 0) = static_cast<float>(label.size());
    return out;
  }
  static void describe(Description<Labeled>& d) {
    d.called("labeled", "mine", "Notes the length of a text.").field("label", &Labeled::label, "", "any words");
  }
};

Catalogue with_mine() {
  Catalogue mine = Catalogue::standard();
  mine.add<Labeled>();
  mine.add<EvenRows>();
  mine.add<Posterized>();
  return mine;
}

}  // namespace

TEST_CASE("a group of one's own, with one's own filters in it: chain text, recipe, record, and back") {
  const Catalogue mine = with_mine();
  const Image in = noise(23, 17);
  for (const char* line :
       {"even_rows strength=0.5 then posterized levels=3 then end then clip",
        "even_rows then within part=2,3,9,8 then posterized then invert then end then gaussian sigma=2 then end",
        "within part=1,1,20,10 then even_rows strength=0.25 then posterized levels=5 then end then end then invert"}) {
    CAPTURE(line);
    const Chain chain = Chain::parse(line, mine);
    const Image out = chain(in);
    CHECK(!identical(out, in));
    CHECK(chain.text() == line);
    CHECK(identical(Chain::parse(chain.text(true), mine)(in), out));
    const std::vector<std::string> words = recipe_words(recipe_text(chain), "mine.toml", mine);
    CHECK(identical(Chain::parse(words, mine)(in), out));
    CHECK(identical(Chain::parse(chain_text_of_record(record_of(chain)), mine)(in), out));
  }
  // By the struct itself: the odd rows stay.
  const Image out = EvenRows{.chain = {Invert{}}}(in);
  for (int x = 0; x < 23; ++x) {
    CHECK(out.at(x, 1) == in.at(x, 1));
    CHECK(out.at(x, 2) == 1 - in.at(x, 2));
  }
  const auto message = [&](const std::string& text) -> std::string {
    try {
      (void)Chain::parse(text, mine);
    } catch (const InvalidArgument& e) {
      return e.what();
    }
    return "accepted";
  };
  CHECK(message("even_rows").find("even_rows: no filter in the group") == 0);
  CHECK(message("even_rows then end").find("even_rows: no filter in the group") == 0);
  CHECK(message("clip then end").find("closes no group") != std::string::npos);
  const auto nested = [](int depth) {
    std::string text;
    for (int i = 0; i < depth; ++i) text += "within then ";
    return text + "clip";
  };
  CHECK(Chain::parse(nested(100))(test::noise(9, 7)).width() == 9);
  CHECK(message(nested(101)).find("more than 100 deep") != std::string::npos);
  CHECK(message(nested(30000)).find("more than 100 deep") != std::string::npos);
  CHECK(message("even_rows then clip then end clip").find("put 'then' between") != std::string::npos);
  struct End {
    Image operator()(const ConstView& v) const { return Image(v); }
    static void describe(Description<End>& d) { d.called("end", "mine", "A word that is taken."); }
  };
  Catalogue other;
  CHECK_THROWS_AS(other.add<End>(), InvalidArgument);
  CHECK_THROWS_AS(Filter(Clip{}).set_group({}), InvalidArgument);
}

TEST_CASE("a chain is a filter: it nests, tells its reach and shape, and a filter that was moved from is still one") {
  const Image in = noise(40, 30, 3);
  const Chain inner{Gaussian{.sigma = 1}, Unsharp{}};
  const Chain outer{Invert{}, inner, Shrink{.factor = 2}};
  CHECK(outer.text() == "invert then gaussian then unsharp then shrink");
  CHECK(outer.steps().size() == 4);
  CHECK(identical(outer(in), Shrink{.factor = 2}(Unsharp{}(Gaussian{.sigma = 1}(Invert{}(in))))));
  Filter filter = inner;
  CHECK(filter.text() == "gaussian then unsharp");
  CHECK(filter.reach().value() == 4 + 6);
  CHECK(identical(filter(in), inner(in)));
  CHECK(Filter(outer).result_shape(in.shape()) == Shape{20, 15, 3});
  CHECK(!Filter(Chain{Gaussian{}, Equalize{}}).reach().has_value());
  const Filter taken = std::move(filter);
  CHECK(identical(filter(in), taken(in)));  // NOLINT(bugprone-use-after-move): that is what is tested
  Filter copy = taken;
  const Filter gaussian = Gaussian{.sigma = 3};
  Filter changed = gaussian;
  changed.set("sigma", "1");
  CHECK(gaussian.get("sigma") == "3");
  CHECK(changed.as<Gaussian>()->sigma == 1);
  CHECK(changed.as<Box>() == nullptr);
}

TEST_CASE("hooks that are named: reach, shape, meaning, stages, what is measured, borders") {
  const Filter f = Halves{};
  const Image in = noise(9, 5);
  CHECK(f.about().access() == Access::window);
  CHECK(!f.reach().has_value());  // the level is still to be measured
  const Filter known = f.measured(in).value();
  CHECK(known.get("level") != "auto");
  CHECK(known.reach().value() == 8);
  CHECK(known.part_margin().value() == 8);
  CHECK(f.result_shape(in.shape()) == Shape{5, 3, 1});
  CHECK(f.meaning() == "looks 8 pixels far");
  CHECK(f.stages(in).size() == 1);
  Filter wrapped = known;
  wrapped.set("border", "wrap");
  CHECK(!wrapped.part_margin().has_value());
  CHECK_THROWS_WITH(wrapped.set("border", "inside"),
                    "halves: border=inside is not allowed: give one of edge, mirror, wrap, constant");
  CHECK_THROWS_AS(Halves{.border = Border::zero}(in), InvalidArgument);
  CHECK_THROWS_WITH(wrapped.set("radius", "2.5"),
                    "halves: radius=2.5 is not allowed: give a whole number from 0 to 20 (pixels)");
  CHECK_THROWS_AS(Halves{.radius = 2.5}(in), InvalidArgument);
  CHECK_THROWS_AS(Box{.radius = 1.5}(in), InvalidArgument);
  // A struct that says nothing is taken to look at the whole picture.
  CHECK(Filter(Posterized{}).about().access() == Access::whole);
  CHECK(!Filter(Posterized{}).part_margin().has_value());
}

TEST_CASE("words that people look for lead to the filters that are meant") {
  const Catalogue& all = Catalogue::standard();
  const std::pair<const char*, const char*> first[] = {{"erode", "minimum"},          {"dilate", "maximum"},
                                                       {"SVD", "low_rank"},           {"pca", "principal_components"},
                                                       {"salt and pepper", "median"}, {"gaussian", "gaussian"},
                                                       {"high pass", "high_pass"},    {"Otsu", "threshold"},
                                                       {"grayscale", "gray"},         {"morphology", "closing"}};
  for (const auto& [word, name] : first) {
    CAPTURE(word);
    const std::vector<std::string> found = all.search(word);
    REQUIRE(!found.empty());
    CHECK(std::find(found.begin(), found.end(), name) != found.end());
  }
  for (const char* word : {"deblur", "defog", "salt", "high_boost", "denoise", "sharpen"}) {
    CAPTURE(word);
    CHECK(all.search(word).size() > 1);
  }
  const auto high_boost = all.search("high_boost");
  CHECK(std::find(high_boost.begin(), high_boost.end(), "unsharp") != high_boost.end());
  CHECK(all.search("erode").front() == "minimum");
  CHECK(all.search("gaussian").front() == "gaussian");
  CHECK(all.search("").empty());
  CHECK(all.search("qqqq").empty());
  CHECK_THROWS_WITH(all.find("erode"), doctest::Contains("did you mean 'minimum'"));
  CHECK(test::lsieve("list erode").out.find("minimum: ") == 0);
  const auto several = test::lsieve("list deblur");
  CHECK(several.code == 0);
  CHECK(several.out.find("  wiener ") != std::string::npos);
  // Every filter can be found by something that is not its name.
  for (const std::string& name : all.names()) {
    CAPTURE(name);
    CHECK(!all.find(name).about().search_words.empty());
  }
}

TEST_CASE("every border that a filter takes: the fast way is the plain definition, and borders differ") {
  const Image in = noise(21, 14, 3);
  const std::map<std::string, std::string> set = {{"nonlocal_means", "patch=1 search=3 noise=0.1"},
                                                  {"bilateral", "range=0.2"},
                                                  {"guided", "radius=3 strength=0.1"},
                                                  {"adaptive_wiener", "noise=0.1"},
                                                  {"lee", "speckle=0.1"},
                                                  {"background", "sigma=3"},
                                                  {"flatten", "sigma=3"},
                                                  {"retinex", "scales=2,4"},
                                                  {"homomorphic", "cutoff=0.05"},
                                                  {"threshold", "by=local radius=3"},
                                                  {"bounded_unsharp", "sigma=2 radius=2"},
                                                  {"opening", "radius=2"},
                                                  {"closing", "radius=2"}};
  int with_border = 0;
  for (const std::string& name : Catalogue::standard().names()) {
    const FilterDescription& about = Catalogue::standard().find(name).about();
    const auto border = std::find_if(about.parameters.begin(), about.parameters.end(),
                                     [](const Parameter& p) { return p.name == "border"; });
    if (border == about.parameters.end()) continue;
    ++with_border;
    CAPTURE(name);
    // Another default than edge has its reason in the help.
    if (border->standard != "edge") CHECK(border->help.find("not the edge repeated") != std::string::npos);
    for (const std::string& choice : border->choices) {
      CAPTURE(choice);
      const auto more = set.find(name);
      const Chain chain = Chain::parse(name + (more != set.end() ? " " + more->second : "") + " border=" + choice);
      const Filter& f = chain.steps()[0];
      // Restorations are the matter of tests/restore.cpp, padding of tests/spatial.cpp; a transfer function is a
      // picture.
      if (about.family == "restore" || name == "pad" || name == "transfer") continue;
      test::check_as_defined(f, in);
    }
  }
  CHECK(with_border > 40);
}

TEST_CASE("a full convolution is every place that the kernel touches: sums, sizes, strides, alpha") {
  Image one(3, 2, 2);
  one.at(1, 0) = 1;
  one.at(1, 0, 1) = 0.5F;
  const Kernel k(2, 3, {1, 2, 3, 4, 5, 6}, 1, 1);
  const Image out = Convolve{.kernel = k, .border = Border::full}(one);
  REQUIRE(out.shape() == Shape{4, 4, 2});
  // The kernel itself lies where the impulse was: convolution turns it, and an impulse turns it back.
  for (int y = 0; y < 3; ++y) {
    for (int x = 0; x < 2; ++x) CHECK(out.at(1 + x, y) == static_cast<float>(k.at(x, y)));
  }
  const Image in = noise(17, 12, 4);
  for (const int stride : {1, 2, 5}) {
    for (const ConvolutionMethod method : {ConvolutionMethod::direct, ConvolutionMethod::fourier}) {
      const Convolve conv{.kernel = k, .border = Border::full, .stride = stride, .method = method};
      const Correlate corr{.kernel = k, .border = Border::full, .stride = stride, .method = method};
      CHECK(conv(in).shape() == Shape{(18 + stride - 1) / stride, (14 + stride - 1) / stride, 4});
      test::check_as_defined(conv, in);
      test::check_as_defined(corr, in);
    }
  }
  // Nothing is lost: the sum of the result is that of the picture times that of the kernel.
  const Image gray = noise(9, 9);
  const Image whole = Convolve{.kernel = k, .border = Border::full}(gray);
  CHECK(statistics(whole)[0].mean * static_cast<double>(whole.shape().pixels()) ==
        doctest::Approx(21 * 81 * statistics(gray)[0].mean).epsilon(1e-5));
}

TEST_CASE("definitions: of a chain, of a group, of one's own struct in a line; none where there is none") {
  const Image in = noise(15, 11);
  reference::Definitions mine = reference::Definitions::standard();
  CHECK(!mine.plain(Posterized{}, in).has_value());
  CHECK(!mine.tolerance(Posterized{}).has_value());
  CHECK_THROWS_AS(reference::plain(Posterized{}, in), InvalidArgument);
  mine.add<Posterized>(1e-6, [](const Posterized& f, const ConstView& v) { return f(v); });
  CHECK(identical(mine.plain(Posterized{}, in).value(), Posterized{}(in)));
  const Chain chain{Invert{}, Within{.part = Rectangle{3, 2, 8, 6}, .chain = {Box{.radius = 1}, Invert{}}}};
  test::check_as_defined(chain, in);
  CHECK(mine.tolerance(chain).value() > 0);
  CHECK(!mine.plain(Chain{Invert{}, EvenRows{}}, in).has_value());
  CHECK_THROWS_AS(mine.plain(Gamma{.exponent = -1}, in), InvalidArgument);
  // Every filter of the library that is not damage or plain arithmetic has one.
  for (const std::string& name : Catalogue::standard().names()) {
    const Filter& f = Catalogue::standard().find(name);
    if (f.about().family == "degrade" || f.about().family == "arithmetic" || name == "total_variation_deconvolution")
      continue;
    CAPTURE(name);
    CHECK(mine.tolerance(f).has_value());
  }
}

TEST_CASE("a text as a parameter: chain text, recipe and record hold it as it is") {
  const Catalogue mine = with_mine();
  for (const std::string label : {"lamp", "two words", "", "a=b", "then", "C:\\dir\\", "\"quoted\" 'both'",
                                  "tab\tand\nline", "0.5..4:8", "a|b", "end", "ä"}) {
    CAPTURE(label);
    const Chain chain{Labeled{.label = label}, Clip{}};
    CHECK(chain.steps()[0].get("label") == label);
    for (const Chain& again : {Chain::parse(chain.text(), mine), Chain::parse(chain.text(true), mine),
                               Chain::parse(recipe_words(recipe_text(chain), "r.toml", mine), mine),
                               Chain::parse(chain_text_of_record(record_of(chain)), mine)})
      CHECK(again.steps()[0].get("label") == label);
    CHECK(chain(noise(3, 3)).at(0, 0) == std::min(1.0F, static_cast<float>(label.size())));
  }
  CHECK(Chain::parse("labeled label=x=y", mine).steps()[0].as<Labeled>()->label == "x=y");
}
