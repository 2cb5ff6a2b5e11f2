#include "sieve/filter/plug_and_play.hpp"

#include "support.hpp"

using namespace sieve;
using test::deviation;
using test::noise;
using test::noon;
using test::noon_file;

namespace {

// A part of the demo view as a camera has it: blurred with what lies around it, then cut out, with grain.
struct Damaged {
  Image truth, picture;
};
Damaged damaged(const Kernel& psf, float grain, int channels = 1) {
  constexpr int kRim = 24, kWide = 144, kHigh = 120;
  const Rectangle all{180, 60, kWide + 2 * kRim, kHigh + 2 * kRim}, inner{kRim, kRim, kWide, kHigh};
  const Image view = channels == 1 ? Gray{}(noon()) : noon();
  const Image part(view.view().part(all)), blurred = Blur{.psf = psf, .border = Border::mirror}(part);
  return {Image(part.view().part(inner)),
          GaussianNoise{.deviation = grain, .seed = 4}(Image(blurred.view().part(inner)))};
}

// Keeps the picture, and what it was told.
struct Listener {
  static inline std::vector<double> told;
  Real level = 0.5F;
  Image operator()(const ConstView& in) const {
    told.push_back(level);
    return Image(in);
  }
  static void describe(Description<Listener>& d) {
    d.called("listener", "test", "Hears how strong the noise is.");
    d.takes_noise([](Listener& f, float deviation) { f.level = deviation; });
    d.field("level", &Listener::level, "0..1 scale", "what it was told", {0, 1});
  }
};

}  // namespace

TEST_CASE(
    "better than every other restoration at its best setting, with the border found, and with a PSF a tenth off") {
  for (const auto& [psf, wrong, grain] : {std::tuple{Kernel::disk(3), Kernel::disk(3.3), 0.006F},
                                          {Kernel::motion(11, 35), Kernel::motion(12.1, 35), 0.006F},
                                          {Kernel::box(3), Kernel::box(3), 0.006F}}) {
    const std::string name = psf.text();
    CAPTURE(name);
    const Damaged d = damaged(psf, grain);
    double best = 0;
    for (const Border border : {Border::mirror, Border::taper}) {
      for (const float k : {0.25F, 0.5F, 1.0F, 2.0F, 4.0F}) {
        const Wiener wiener{.psf = psf, .noise = k * grain, .border = border};
        const TotalVariationDeconvolution even{.psf = psf, .weight = 0.25F * k * grain, .border = border};
        best = std::max({best, psnr(wiener(d.picture), d.truth), psnr(even(d.picture), d.truth)});
      }
    }
    CHECK(psnr(PlugAndPlay{.psf = psf, .noise = grain}(d.picture), d.truth) > best + 0.5);
    CHECK(psnr(PlugAndPlay{.psf = wrong, .noise = grain}(d.picture), d.truth) >
          psnr(Wiener{.psf = wrong, .noise = grain}(d.picture), d.truth) + 1);
  }
}

TEST_CASE("any denoiser: told the falling level of the error in every round, one's own too") {
  const Damaged d = damaged(Kernel::disk(2), 0.01F);
  Listener::told.clear();
  (void)PlugAndPlay{.psf = Kernel::disk(2), .with = Chain{Listener{}}, .noise = 0.01F, .rounds = 7}(d.picture);
  REQUIRE(Listener::told.size() == 7);
  CHECK(std::is_sorted(Listener::told.rbegin(), Listener::told.rend()));
  CHECK(Listener::told.back() == doctest::Approx(0.02));
  CHECK(Listener::told[1] / Listener::told[0] == doctest::Approx(Listener::told[6] / Listener::told[5]));
  // Within a group as well.
  const Chain group{Within{.part = Rectangle{0, 0, 50, 40}, .chain = Chain{Listener{}}}};
  CHECK(group.takes_noise());
  Listener::told.clear();
  (void)PlugAndPlay{.psf = Kernel::disk(2), .with = group, .noise = 0.01F, .rounds = 2}(d.picture);
  REQUIRE(Listener::told.size() == 2);
  CHECK(Listener::told.back() == doctest::Approx(0.02));
  // By text, with a catalogue that knows it; the library's does not.
  Catalogue mine = Catalogue::standard();
  mine.add<Listener>();
  Listener::told.clear();
  (void)Chain::parse("plug_and_play noise=0.01 rounds=2 with=listener", mine)(d.picture);
  CHECK(Listener::told.size() == 2);
  CHECK_THROWS_WITH_AS(Chain::parse("plug_and_play with=listener"), doctest::Contains("listener"), InvalidArgument);
  for (const char* with : {"wavelet_shrink", "nonlocal_means patch=1 search=3", "total_variation",
                           "wavelet_shrink then nonlocal_means patch=1 search=2"}) {
    CAPTURE(std::string(with));
    const Filter f = PlugAndPlay{.psf = Kernel::disk(2), .with = Chain::parse(std::string(with)), .noise = 0.01F};
    CHECK(psnr(f(d.picture), d.truth) > psnr(d.picture, d.truth) + 1.5);
  }
}

TEST_CASE("what cannot be told the noise works all the same, with a note; notes of the denoiser are not repeated") {
  const Damaged d = damaged(Kernel::disk(2), 0.01F);
  std::vector<std::string> notes;
  Watch watch;
  watch.on_note = [&](const std::string& line) { notes.push_back(line); };
  const Watch::Active active(watch);
  (void)PlugAndPlay{.psf = Kernel::disk(2), .with = Chain{Median{.radius = 1}}, .rounds = 3}(d.picture);
  REQUIRE(notes.size() == 2);
  CHECK(notes[0].find("(estimated): 3 rounds") != std::string::npos);
  CHECK(notes[1].find("with=median can be told") != std::string::npos);
}

TEST_CASE("as the plain definition: borders, asymmetric and large PSFs, color, alpha, what is not finite, no noise") {
  const Kernel shaken(3, 3, {0.4, 0, 0, 0, 0.3, 0.1, 0, 0, 0.2});
  Image color = noise(14, 11, 4, 3);
  color.at(5, 4, 1) = std::numeric_limits<float>::quiet_NaN();
  const Image gray = noise(19, 16, 1, 5), dot(1, 1);
  const auto closest = [](const PlugAndPlay& f, const Image& in) {
    const Image fast = f(in), plain = reference::plain(f, in);
    CHECK(fast.shape() == in.shape());
    return deviation(fast, plain);
  };
  for (const Border border : {Border::taper, Border::wrap}) {
    for (const Image* in : std::initializer_list<const Image*>{&color, &gray, &dot}) {
      const PlugAndPlay f{.psf = shaken, .with = Chain{WaveletShrink{}}, .noise = 0.05F, .rounds = 6, .border = border};
      CHECK(closest(f, *in) < 5e-3);
    }
  }
  CHECK(std::isnan(PlugAndPlay{.psf = shaken, .with = Chain{WaveletShrink{}}, .rounds = 2}(color).at(5, 4, 1)));
  CHECK(closest({.psf = Kernel::disk(9), .with = Chain{WaveletShrink{}}, .noise = 0.0F, .rounds = 2}, gray) < 5e-3);
  // A PSF that is too large by a fifth, so that something is counted for noise.
  const Image scene(noon().view().channel(1).part({200, 120, 44, 40}));
  const PlugAndPlay off{.psf = Kernel::disk(2.4), .with = Chain{WaveletShrink{}}, .noise = 0.001F, .rounds = 4};
  CHECK(closest(off, Blur{.psf = Kernel::disk(2), .border = Border::mirror}(scene)) < 5e-3);
  const Image even = map_samples(Image(20, 15), [](float) { return 0.4F; });
  CHECK(deviation(PlugAndPlay{}(even), even) < 1e-3);
}

TEST_CASE("a chain as a value: text, full text, recipe and record keep it; what is wrong in it is said") {
  const Chain chain{
      Gray{},
      PlugAndPlay{
          .psf = Kernel::disk(2), .with = Chain{Median{.radius = 2}, WaveletShrink{.noise = 0.1F}}, .rounds = 3},
      Clip{}};
  const std::string text = chain.text();
  CHECK(text ==
        "gray then plug_and_play psf=disk:radius=2 with=median\\ radius=2\\ then\\ wavelet_shrink\\ noise=0.1 rounds=3 "
        "then clip");
  CHECK(Chain::parse(text).text() == text);
  CHECK(Chain::parse(recipe_words(recipe_text(chain), "r.toml")).text() == text);
  const std::string record = record_of(chain);
  CHECK(record.find("levels=") != std::string::npos);  // of wavelet_shrink, though it is the default
  CHECK(Chain::parse(chain_text_of_record(record)).text() == text);
  // Chains in chains, and in groups.
  const Chain deep{
      Within{.part = Rectangle{1, 2, 30, 20},
             .chain = Chain{PlugAndPlay{.with = Chain{PlugAndPlay{.with = Chain{Within{.chain = chain}}}, Invert{}}}}}};
  CHECK(Chain::parse(deep.text()).text() == deep.text());
  CHECK(Chain::parse(recipe_words(recipe_text(deep), "r.toml")).text() == deep.text());
  for (const auto& [wrong, said] : {std::pair{"with=medium", "did you mean"},
                                    {"with=median\\ radius=x", "radius=x"},
                                    {"with=", "no filter given"}}) {
    CAPTURE(std::string(wrong));
    CHECK_THROWS_WITH_AS(Chain::parse(std::string("plug_and_play ") + wrong), doctest::Contains(said), InvalidArgument);
  }
  const Image in = noise(30, 20);
  CHECK_THROWS_WITH_AS(PlugAndPlay{.with = Chain{}}(in), doctest::Contains("with="), InvalidArgument);
  CHECK_THROWS_WITH_AS((PlugAndPlay{.with = Chain{Shrink{.factor = 2}}}(in)), doctest::Contains("keep the shape"),
                       InvalidArgument);
  CHECK_THROWS_AS(PlugAndPlay{.rounds = 0}(in), InvalidArgument);
}

TEST_CASE("the tool: a chain in one word, a sweep over denoisers") {
  const test::Folder f;
  const std::string
      blurred = f / "b.png",
      out = f / "o.png",
      damage = "crop x=200 y=100 width=96 height=80 then blur psf=disk:radius=2 then gaussian_noise deviation=0.01";
  REQUIRE(test::lsieve("apply " + noon_file + " " + blurred + " " + damage).code == 0);
  const auto made = test::lsieve("apply " + noon_file + " " + out + " " + damage +
                                 " then plug_and_play psf=disk:radius=2 'with=wavelet_shrink levels=3'");
  CHECK(made.code == 0);
  CHECK(made.out.find("rounds, the denoiser told") != std::string::npos);
  // The record of what was written does it again.
  CHECK(test::lsieve("apply " + noon_file + " " + (f / "again.png") + " --again " + out).code == 0);
  CHECK(test::contents(f / "again.png") == test::contents(out));
  const auto swept = test::lsieve(
      "sweep " + blurred + " plug_and_play psf=disk:radius=2 rounds=4 'with=wavelet_shrink|total_variation' --json");
  CHECK(swept.code == 0);
  CHECK(swept.out.find("total_variation") != std::string::npos);
}
