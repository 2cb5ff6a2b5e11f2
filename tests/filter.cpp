#include "support.hpp"

using namespace sieve;
using test::noise;

namespace {

// A filter of one's own, as the guide shows it.
struct Posterize {
  int levels = 4;
  Image operator()(const ConstView& in) const {
    sieve::check(*this);
    return map_samples(in, [n = static_cast<float>(levels - 1)](float v) { return std::round(v * n) / n; });
  }
  static void describe(Description<Posterize>& d) {
    d.called("posterize", "mine", "Few levels.")
        .field("levels", &Posterize::levels, "levels", "how many are kept", {2, 256});
  }
};

}  // namespace

TEST_CASE("a struct of one's own gets chain text, checks and a place in the catalogue") {
  Catalogue mine = Catalogue::standard();
  mine.add<Posterize>();
  CHECK_THROWS_AS(mine.add<Posterize>(), InvalidArgument);
  const Image in = noise(20, 10);
  const Image out = Chain::parse("gray then posterize levels=3", mine)(in);
  CHECK(test::deviation(out, Posterize{3}(in)) == 0);
  CHECK_THROWS_WITH(Chain::parse("posterize levels=1", mine),
                    "posterize: levels=1 is out of range: give a whole number from 2 to 256 (levels)");
  CHECK_THROWS_AS(Posterize{1}(in), InvalidArgument);
}

TEST_CASE("chain text is read back as it was, and runs like the structs") {
  const Image in = noise(40, 30, 3);
  const Chain chain = Chain::parse(
      "gray by=rec601 then convolve kernel=0,1,0/1,-4,1/0,1,0 border=mirror then stretch low=auto high=0.5 then crop "
      "x=2 y=3 width=9 height=8");
  CHECK(Chain::parse(chain.text()).text() == chain.text());
  CHECK(identical(Chain::parse(chain.text())(in), chain(in)));
  const Image by_hand = Crop{2, 3, 9, 8}(Stretch{.low = {}, .high = 0.5F}(
      Convolve{.kernel = Kernel::parse("laplacian"), .border = Border::mirror}(Gray{GrayBy::rec601}(in))));
  CHECK(identical(chain(in), by_hand));
  CHECK(identical(Chain{Gaussian{.sigma = 2}, Absolute{}}(in), Absolute{}(Gaussian{.sigma = 2}(in))));
  CHECK(identical(Chain{}(in), in));
  Image before = in;
  (void)chain(in);
  CHECK(identical(before, in));  // nothing changes its input
}

TEST_CASE("what is wrong in a chain is said, with what is allowed") {
  const auto message = [](const std::string& text) -> std::string {
    try {
      (void)Chain::parse(text);
    } catch (const InvalidArgument& e) {
      return e.what();
    }
    return "accepted";
  };
  CHECK(message("gausian sigma=2").find("did you mean 'gaussian'") != std::string::npos);
  CHECK(message("gaussian sgima=2").find("did you mean 'sigma'") != std::string::npos);
  CHECK(message("gaussian sigma=two").find("a number from 0 to 500") != std::string::npos);
  CHECK(message("gaussian sigma=-2").find("out of range") != std::string::npos);
  CHECK(message("box radius=1.5").find("whole number") != std::string::npos);
  CHECK(message("gaussian border=wrapp").find("did you mean 'wrap'") != std::string::npos);
  CHECK(message("gaussian sigma=1 sigma=2").find("twice") != std::string::npos);
  CHECK(message("gaussian stretch").find("'then'") != std::string::npos);
  CHECK(message("absolute size=2").find("takes none") != std::string::npos);
  for (const char* wrong : {"", "then", "gray then", "gray then then clip", "sigma=2",
                            "gaussian sigma=", "gaussian sigma=1e400", "gaussian sigma=nan", "gaussian =2"}) {
    CAPTURE(wrong);
    CHECK(message(wrong) != "accepted");
  }
}

TEST_CASE("every filter of the catalogue: described, its defaults run on odd pictures, its text is read back") {
  for (const std::string& name : Catalogue::standard().names()) {
    CAPTURE(name);
    const Filter& f = Catalogue::standard().find(name);
    CHECK(!f.about().summary.empty());
    CHECK(!f.about().wrong_when.empty());
    for (const Parameter& p : f.about().parameters) {
      CHECK(!p.help.empty());
      Filter copy = f;
      CHECK_NOTHROW(copy.set(p.name, p.standard));
      CHECK(copy.get(p.name) == p.standard);
    }
    for (const Shape shape : {Shape{1, 1, 1}, {1, 40, 2}, {33, 1, 3}, {37, 23, 4}}) {
      const int w = shape.width, h = shape.height, c = shape.channels;
      const Image in = noise(w, h, c);
      Filter ready = f;
      const Resources second{[&](const std::string&) { return noise(w, h, 1, 9); }, {}};
      for (const Parameter& p : f.about().parameters) {
        if (p.name == "with" && p.picture) ready.set("with", "other.png", second);
      }
      const Image out = ready(in);
      if (const auto plain = reference::Definitions::standard().plain(ready, in))
        CHECK(reference::Definitions::standard().agreement(f, out, *plain).good());
      if (in.shape().has_alpha() && out.shape() == in.shape())
        CHECK(identical(out.view().channel(c - 1), in.view().channel(c - 1)));
    }
    CHECK_THROWS_AS(f(Image()), InvalidArgument);
  }
}

TEST_CASE("what filters show of their ways: named pictures and curves that can be drawn, the input as it was") {
  const Image in(test::noon().view().part({300, 200, 96, 80}));
  const Image before = in, second = noise(96, 80, 1, 9);
  const Resources other{[&](const std::string&) { return second; }, {}};
  int telling = 0;
  for (const std::string& name : Catalogue::standard().names()) {
    CAPTURE(name);
    Filter f = Catalogue::standard().find(name);
    for (const Parameter& p : f.about().parameters) {
      if (p.name == "with" && p.picture) f.set("with", "other.png", other);
    }
    const std::vector<Stage> stages = f.stages(in);
    telling += stages.empty() ? 0 : 1;
    for (const Stage& s : stages) {
      CAPTURE(s.name);
      CHECK_FALSE(s.name.empty());
      CHECK(s.image.empty() != s.curves.empty());
      CHECK(test::not_finite(s.image) == 0);
      for (const StageCurve& c : s.curves) {
        CHECK_FALSE(s.x_name.empty());
        CHECK_FALSE(s.y_name.empty());
        REQUIRE_FALSE(c.x.empty());
        CHECK(c.x.size() == c.y.size());
        CHECK(std::all_of(c.y.begin(), c.y.end(), [](double v) { return std::isfinite(v); }));
        CHECK(std::is_sorted(c.x.begin(), c.x.end()));
        CHECK(c.chosen < static_cast<int>(c.x.size()));
      }
    }
  }
  CHECK(telling >= 20);
  CHECK(identical(in, before));
}

TEST_CASE("ranges are told in plain digits") {
  CHECK(Catalogue::standard().find("match").about().parameter("bins").allowed ==
        "a whole number from 2 to 1048576 (bins)");
  CHECK(Catalogue::standard().find("gamma").about().parameter("exponent").allowed == "a number from 0.01 to 100");
  for (const std::string& name : Catalogue::standard().names()) {
    for (const Parameter& p : Catalogue::standard().find(name).about().parameters) {
      CAPTURE(name);
      CAPTURE(p.name);
      if (p.kind == ParameterKind::whole) CHECK(p.allowed.find("e+") == std::string::npos);
    }
  }
}

TEST_CASE(
    "a filter by value: copies are independent, errors leave it as it was, it tells reach, meaning and parameters") {
  Filter a = Gaussian{.sigma = 2};
  Filter b = a;
  b.set("sigma", "3");
  CHECK(a.get("sigma") == "2");
  CHECK(b.text() == "gaussian sigma=3");
  CHECK(b.full_text() == "gaussian sigma=3 border=edge fill=0");
  CHECK_THROWS_AS(b.set("sigma", "501"), InvalidArgument);
  CHECK_THROWS_AS(b.set("border", "none"), InvalidArgument);
  CHECK(b.text() == "gaussian sigma=3");
  CHECK(*a.reach() == 8);
  CHECK(a.meaning() == "window 17x17");
  CHECK_FALSE(Filter(Stretch{}).reach().has_value());  // it looks at the whole picture
  a = b;
  b.set("sigma", "1");
  CHECK(a.get("sigma") == "3");
  CHECK_THROWS_AS(a.get("radius"), InvalidArgument);
  CHECK(Filter(Box{.radius = 4}).meaning() == "window 9x9");
  CHECK(Filter(Convolve{}).meaning() == "kernel 3x3, sum 1");
}

TEST_CASE("a chain hears each step with its result, and a step that fails stops it") {
  const Image in = noise(30, 20);
  const Chain chain = Chain::parse("gaussian sigma=1 then shrink factor=2 then absolute");
  std::vector<int> widths;
  const Image out = Engine::standard()
                        .run(chain, in,
                             {.on_step =
                                  [&](std::size_t i, const ConstView& image) {
                                    CHECK(i == widths.size());
                                    widths.push_back(image.width());
                                  }})
                        .image;
  CHECK(widths == std::vector<int>{30, 15, 15});
  CHECK(identical(out, chain(in)));
  CHECK_THROWS_AS(Chain::parse("clip then crop width=31 then clip")(in), InvalidArgument);
  CHECK_THROWS_AS(chain(Image()), InvalidArgument);
}

TEST_CASE("the catalogue refuses names that chain text could not hold") {
  struct Odd {
    Image operator()(const ConstView& in) const { return Image(in); }
    static void describe(Description<Odd>& d) { d.called("two words", "mine", "Odd."); }
  };
  struct Then {
    Image operator()(const ConstView& in) const { return Image(in); }
    static void describe(Description<Then>& d) { d.called("then", "mine", "Odd."); }
  };
  Catalogue c;
  CHECK_THROWS_AS(c.add<Odd>(), InvalidArgument);
  CHECK_THROWS_AS(c.add<Then>(), InvalidArgument);
  CHECK(c.names().empty());
  CHECK_THROWS_AS(c.find("gaussian"), InvalidArgument);
}

TEST_CASE("parts, pictures and kernels as parameter text") {
  const auto part = [](const char* text) {
    return TextValue<std::optional<Rectangle>>::text(TextValue<std::optional<Rectangle>>::parse(text, {}));
  };
  CHECK(part("all") == "all");
  CHECK(part("1,2,30,40") == "1,2,30,40");
  for (const char* wrong : {"", "1,2,3", "1,2,3,4,5", "a,b,c,d", "-1,0,5,5", "1,2,3,", "99999999999,0,1,1"}) {
    CAPTURE(wrong);
    CHECK_THROWS_AS(part(wrong), InvalidArgument);
  }
  // A picture keeps the name it was opened by; one from memory says so; none is none.
  const Resources files{[](const std::string& name) {
                          if (name != "a.png") throw Error(name + ": cannot be opened");
                          return Image(3, 2);
                        },
                        {}};
  Filter f = Subtract{};
  CHECK(f.get("with") == "none");
  f.set("with", "a.png", files);
  CHECK(f.text() == "subtract with=a.png");
  CHECK_THROWS_AS(f.set("with", "b.png", files), Error);
  CHECK_THROWS_AS(f.set("with", "a.png"), InvalidArgument);  // no way to open files
  CHECK(f.text() == "subtract with=a.png");
  CHECK(Filter(Subtract{SharedImage(Image(3, 2))}).get("with") == "memory");
  // A kernel from a file is written as its rows, so that text and records need no file.
  const Resources kernels{{}, [](const std::string&) { return std::string("1 2\n3 4\nanchor 0 1\n"); }};
  Filter c = Correlate{};
  c.set("kernel", "@k.txt", kernels);
  CHECK(c.text() == "correlate kernel=1,2/3,4:anchor=0,1");
  CHECK(Chain::parse(c.text()).text() == c.text());
  CHECK_THROWS_AS(c.set("kernel", "@k.txt"), InvalidArgument);
}

TEST_CASE("a recipe that is no text is refused with its line, before the parser sees it") {
  const std::string text("lean_sieve = 1\n[[step]]\nfilter = \"gaussian\"\nsig\0ma = 1.5\n",
                         58);  // found by the fuzzer
  try {
    (void)recipe_words(text, "bad.toml");
    FAIL("no error");
  } catch (const InvalidArgument& e) {
    CHECK(std::string(e.what()) == "bad.toml, line 4: the byte 0 is no text: a recipe is a TOML file");
  }
  // Keys that are none trip the parser's own assertions.
  for (const char* none : {"[ = \"gaussian\"\nsig\n", "[[ ]]\n", "lean_sieve.. = 1\n", "a.b. = 2\n", "[a.]\n", "[step",
                           " radius=\xcb\x8ehen",
                           "gr\xc3\xb6\xc3\x9f"
                           "e = 1\n"})
    CHECK_THROWS_AS(recipe_words(none, "bad.toml"), InvalidArgument);
  CHECK(recipe_words("[[step]]\nfilter = \"clip\" # gr\xc3\xbc\xc3\x9f"
                     "e\n",
                     "comment.toml")
            .size() == 1);
  CHECK(recipe_words("lean_sieve = 1\r\n[[step]]\r\n\tfilter = \"clip\"\r\n", "windows.toml") ==
        std::vector<std::string>{"clip"});
}

TEST_CASE("the C++ of a chain compiles, whatever its filters and values") {
  CHECK(source_text(Chain::parse("gaussian sigma=2 then within part=1,2,3,4 then median then end then gaussian")) ==
        "#include <sieve/sieve.hpp>\n\nsieve::Chain chain() {\n"
        "  sieve::Filter gaussian = sieve::Gaussian{};\n  gaussian.set(\"sigma\", \"2\");\n"
        "  sieve::Filter median = sieve::Median{};\n  const sieve::Chain chain_inside{median};\n"
        "  sieve::Filter within = sieve::Within{};\n  within.set(\"part\", \"1,2,3,4\");\n"
        "  within.set_group(chain_inside);\n  sieve::Filter gaussian_2 = sieve::Gaussian{};\n"
        "  return {gaussian, within, gaussian_2};\n}\n");
  const Resources files{[](const std::string&) { return Image(2, 2); }, {}};
  const std::string opening = source_text(Chain::parse("subtract with=b.png then clip", Catalogue::standard(), files));
  CHECK(opening.starts_with("#include <sieve/io.hpp>\n"));
  CHECK(opening.find("subtract.set(\"with\", \"b.png\", files);") != std::string::npos);
  std::vector<Filter> all = {Chain::parse("subtract with=b.png", Catalogue::standard(), files).steps()[0]};
  for (const std::string& name : Catalogue::standard().names()) {
    Filter f = Catalogue::standard().find(name);
    for (const Parameter& p : f.about().parameters) {
      if (p.kind == ParameterKind::choice) f.set(p.name, p.choices.back());
      if (p.kind == ParameterKind::text && p.standard.find(':') != std::string::npos) f.set(p.name, p.standard);
    }
    all.push_back(f);
  }
  const test::Folder f;
  test::put(f / "all.cpp", source_text(Chain(all)) + source_text(Chain{}).substr(28).replace(13, 5, "empty"));
  const auto compiled = test::run("c++ -std=c++20 -fsyntax-only -Wall -Wextra -Werror -I" + std::string(SIEVE_SOURCE) +
                                  "/include " + (f / "all.cpp"));
  CAPTURE(compiled.err);
  CHECK(compiled.code == 0);
}

TEST_CASE("values that stand for several") {
  for (const char* several : {"0.5..4:8", "1..100:5:log", "1|2|3", "edge|mirror"}) CHECK(holds_range(several));
  for (const char* one : {"0.5", "-1e-3", "auto", "edge", "", "0,0/1,1", "a.b"}) CHECK_FALSE(holds_range(one));
}
