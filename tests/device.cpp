// Chains on a device: every form against the processors and the plain definitions, what goes over the bus, strips,
// faults, and forms of one's own. Debian's implementation for processors stands in for a card.

#include <array>
#include <limits>
#include <thread>

#include "catalogue.hpp"
#include "sieve/device.hpp"

using namespace sieve;
using test::noise;

namespace {

Engine& on_device() {
  static Engine engine{{.device = device::open()}};
  return engine;
}

// The largest difference over the larger of 1 and the sample; infinite where one is not finite and the other is not the
// same.
double apart(const ConstView& a, const ConstView& b) {
  REQUIRE(a.shape == b.shape);
  double most = 0;
  for (int c = 0; c < a.channels(); ++c) {
    for (int y = 0; y < a.height(); ++y) {
      for (int x = 0; x < a.width(); ++x) {
        const float p = a.at(x, y, c), q = b.at(x, y, c);
        if (p == q || (std::isnan(p) && std::isnan(q))) continue;
        const double d = std::abs(static_cast<double>(p) - static_cast<double>(q)) / std::max(1.0F, std::fabs(q));
        most = std::max(most, std::isfinite(d) ? d : std::numeric_limits<double>::infinity());
      }
    }
  }
  return most;
}

// Steps of which the device has a form.
std::vector<Filter> forms() {
  std::vector<Filter> all;
  const std::vector<double> uneven = {1, 2, 3, 4, 9, 6, 7, 8, 9, 1, 2, 3, 4, 5, 7};
  std::vector<double> lopsided = uneven;
  lopsided.resize(8);
  for (const Border b : {Border::edge, Border::mirror, Border::reflect, Border::wrap, Border::zero, Border::constant}) {
    all.insert(all.end(),
               {Convolve{.kernel = Kernel(5, 3, uneven), .border = b, .fill = 0.7F},
                Correlate{.kernel = Kernel(4, 2, lopsided, 3, 0), .border = b, .fill = 0.7F},
                Gaussian{.sigma = 1.3F, .border = b, .fill = 0.7F}, Box{.radius = 3, .border = b, .fill = 2},
                Median{.border = b, .fill = 0.7F}, Minimum{.radius = 2, .border = b, .fill = 0.7F},
                Maximum{.radius = 5, .border = b, .fill = 0.7F}, Opening{.radius = 2, .border = b, .fill = 0.7F},
                Closing{.radius = 1, .border = b, .fill = 0.7F}, Median{.radius = 2, .border = b, .fill = 0.7F},
                Median{.radius = 3, .border = b, .fill = 0.7F}, Convolve{.kernel = Kernel::sobel_x(), .border = b},
                Correlate{.kernel = Kernel(4, 2, lopsided, 3, 0), .border = b, .fill = 0.7F, .stride = 3}});
    if (b == Border::constant) continue;
    all.insert(all.end(), {GradientMagnitude{.border = b}, GradientDirection{.by = GradientBy::scharr, .border = b}});
    if (b == Border::zero) continue;
    all.insert(all.end(), {Unsharp{.sigma = 1, .amount = 2, .threshold = 0.1F, .border = b},
                           BoundedUnsharp{.radius = 2, .border = b}, LaplacianSharpen{.border = b},
                           Bilateral{.sigma = 1, .range = 0.2F, .border = b},
                           NonlocalMeans{.patch = 1, .search = 3, .strength = 1, .noise = 0.2F, .border = b}});
  }
  for (const Border b : {Border::inside, Border::full}) {
    for (const int stride : {1, 2})
      all.push_back(Convolve{.kernel = Kernel(5, 3, uneven), .border = b, .stride = stride});
  }
  all.insert(all.end(), {Gaussian{.sigma = 9},
                         Gaussian{.sigma = 0},
                         Box{.radius = 40},
                         LaplacianSharpen{.diagonals = true},
                         Brightness{.amount = 0.2F},
                         Gain{.factor = -1.5F},
                         Contrast{.factor = 1.7F},
                         Invert{},
                         Absolute{},
                         Solarize{},
                         Clip{},
                         Gamma{.exponent = 0.45F},
                         Logarithm{},
                         Linearize{},
                         Encode{},
                         Sigmoid{},
                         Binomial{.radius = 4},
                         DiskMean{.radius = 3.5F},
                         DiskMean{.radius = 10},
                         Threshold{.by = ThresholdBy::level},
                         Quantize{.bits = 3},
                         Anscombe{},
                         InverseAnscombe{.peak = 40},
                         Midpoint{.radius = 2},
                         Curve{.points = CurvePoints::parse("0,0.1/0.3,0.5/1,0.9")},
                         Gray{},
                         Gray{.by = GrayBy::green},
                         ToHsv{},
                         FromHsv{},
                         ToOklab{},
                         FromOklab{},
                         Saturate{},
                         HueShift{},
                         KeepHue{},
                         Equalize{},
                         Equalize{.levels = 1000, .color = ColorBy::channels},
                         Stretch{},
                         CosineTruncation{.side = 3, .block = 8},
                         CosineTruncation{.side = 3, .which = CosineTruncation::Which::corner, .block = 8},
                         Stretch{.low = 0.2F, .high = 0.7F}});
  return all;
}

// How far the two may be apart: curves go through tables or polynomials on both sides.
double allowed_for(const Filter& f) {
  const std::string& name = f.about().name;
  if (f.text() == "gaussian sigma=9" || name == "bilateral" || name == "nonlocal_means") return 1e-4;
  return name == "gradient_direction" || f.about().family == "color" ? 2e-4
         : name == "unsharp" || name == "cosine_truncation"          ? 2e-5
                                                                     : 3e-6;
}

// A user's: one by the value, one by a window, each with both forms.
struct Doubled {
  float by = 2;
  static void describe(Description<Doubled>& d) {
    d.called("doubled", "mine", "Twice the sample.");
    d.maps_samples([](const Doubled& f) { return [k = f.by](float v) { return k * v; }; });
    d.on_device([](const Doubled& f) { return device::point("v * n[0]", {f.by}); });
    d.field("by", &Doubled::by, "", "factor", {-9, 9});
  }
};
struct Cross {
  Border border = Border::edge;
  static void describe(Description<Cross>& d) {
    d.called("cross", "mine", "The mean of a pixel and its four neighbors.");
    d.maps_windows<1>(&Cross::border, [](const Cross&) {
      return [](const auto& w) { return (w(0, 0) + w(-1, 0) + w(1, 0) + w(0, -1) + w(0, 1)) / 5; };
    });
    d.on_device([](const Cross&) {
      return device::window(1,
                            "float p = at(0, 0);\nfor (int x = -1; x <= 1; x += 2) p += at(x, 0) + at(0, x);\n"
                            "return p / 5;");
    });
  }
};
struct Misspelled {
  static void describe(Description<Misspelled>& d) {
    d.called("misspelled", "mine", "Does not build.");
    d.maps_samples([](const Misspelled&) { return [](float v) { return v + 1; }; });
    d.on_device([](const Misspelled&) { return device::point("v + \n  wrnog"); });
  }
};

// Takes everything and fails in the middle.
struct Lost : Device {
  std::string name() const override { return "lost"; }
  bool takes(const Step&, const Shape&) const override { return true; }
  DeviceFigures run(std::span<const Step>, const ConstView&, const View& out, bool) override {
    out.at(0, 0) = 77;
    throw Error("device: the cable was pulled");
  }
};

}  // namespace

TEST_CASE("every form gives what the processors give, at all borders and sizes, with anything in the picture") {
  int compared = 0;
  for (const Filter& f : forms()) {
    CAPTURE(f.text());
    // A wide blur is a stack of boxes on processors: near the plain definition, and with a NaN's own spread.
    const bool wide = f.text() == "gaussian sigma=9";
    const double allowed = allowed_for(f);
    for (const auto& [w, h, channels] : {std::array{1, 1, 1}, {2, 3, 3}, {37, 29, 4}, {131, 97, 1}, {3, 70, 2}}) {
      CAPTURE(w);
      Image in = noise(w, h, channels);
      if (w == 131 && !wide) {
        in.at(60, 40) = std::numeric_limits<float>::quiet_NaN();
        in.at(10, 90) = std::numeric_limits<float>::infinity();
        in.at(100, 5) = 1e30F;
        in.at(3, 3) = -0.8F;
      }
      if (w < 5 && f.text().find("border=inside") != std::string::npos) continue;  // no window fits
      const Shape result = f.result_shape(in.shape());
      const Run there = on_device().run(f, in);
      // Where the sides change, alpha is sampled by processors.
      if (result.width != w && in.shape().has_alpha()) continue;
      REQUIRE(there.report.device.size() == 1);
      CHECK(apart(there.image, f(in)) < allowed);
      ++compared;
    }
  }
  CHECK(compared > 600);
}

TEST_CASE("what is measured, solved or transformed there, and what works with a second picture") {
  for (const auto& [w, h, channels] : {std::array{1, 1, 1}, {5, 3, 3}, {61, 43, 4}, {64, 48, 1}}) {
    CAPTURE(w);
    Image in = noise(w, h, channels);
    const Image gray = noise(w, h, 1, 8), colored = noise(w, h, channels, 9);
    if (w == 61) in.at(20, 30) = std::numeric_limits<float>::quiet_NaN();
    const auto held = [&](const Filter& f, double allowed) {
      CAPTURE(f.text());
      const Run there = on_device().run(f, in);
      REQUIRE(there.report.device.size() == 1);
      CHECK(apart(there.image, f(in)) < allowed);
    };
    for (const Image& second : {gray, colored}) {
      held(Add{.with = second}, 1e-7);
      held(Subtract{.with = second}, 1e-7);
      held(Multiply{.with = second}, 1e-7);
      held(Divide{.with = second, .least = 0.2F}, 1e-6);
      held(Blend{.with = second, .share = 0.3F}, 1e-6);
      held(AbsoluteDifference{.with = second}, 1e-7);
    }
    held(TotalVariation{.weight = 0.1F, .tolerance = 1e-6F, .iterations = 40}, 2e-5);
    for (const Wavelet wavelet : {Wavelet::nine_seven, Wavelet::five_three, Wavelet::haar, Wavelet::symlet4}) {
      for (const bool undecimated : {false, true}) {
        for (const ThresholdRule rule : {ThresholdRule::universal, ThresholdRule::bayes, ThresholdRule::sure})
          held(WaveletShrink{.wavelet = wavelet, .levels = 3, .rule = rule, .undecimated = undecimated, .noise = 0.2F},
               // Sizes are counted in bins there, and sorted here: of thresholds of nearly equal risk another may be
               // taken.
               rule == ThresholdRule::sure ? 2e-3 : 2e-5);
      }
    }
    held(WaveletShrink{.wavelet = Wavelet::nine_seven,
                       .levels = 2,
                       .shrink = Shrinkage::hard,
                       .undecimated = false,
                       .noise = 1e-6F},
         2e-5);
    for (const Border b : {Border::mirror, Border::wrap}) {
      const Kernel psf = Kernel::gaussian(1);
      held(RichardsonLucy{.psf = psf, .iterations = 8, .noise = 0, .border = b}, 1e-4);
      held(RichardsonLucy{.psf = psf, .iterations = 30, .smoothness = 0, .noise = 0.2F, .border = b}, 1e-4);
      held(
          RichardsonLucy{
              .psf = psf, .iterations = 14, .accelerate = false, .smoothness = 0.01F, .noise = 0, .border = b},
          1e-4);
    }
    if (w == 61) continue;  // a running mean on processors carries a NaN farther
    for (const Border b : {Border::edge, Border::mirror, Border::reflect, Border::wrap})
      held(Guided{.radius = 3, .strength = 0.1F, .border = b}, 1e-5);
  }
  // What is left to a denoiser is found out before the upload; the chain then stays there.
  const Image in = noise(90, 70, 3);
  for (const Filter& f : {Filter(Bilateral{}), Filter(Guided{}), Filter(NonlocalMeans{.search = 4}),
                          Filter(TotalVariation{.iterations = 20}), Filter(WaveletShrink{.levels = 2})}) {
    CAPTURE(f.text());
    const Chain chain{f, Invert{}};
    const Run there = on_device().run(chain, in, {.figures = true});
    REQUIRE(there.report.device.size() == 1);
    CHECK(there.report.device[0].count == 2);
    CHECK(apart(there.image, chain(in)) < 2e-3);
    CHECK(!there.report.steps.at(0).notes.empty());
  }
}

TEST_CASE("what processors refuse is refused before anything goes over the bus") {
  const Image in = noise(40, 30, 3);
  for (const Filter& f :
       {Filter(Gaussian{.sigma = -1}), Filter(Add{}), Filter(Add{.with = noise(39, 30)}),
        Filter(Median{.radius = 1.5F}),
        Filter(Convolve{.kernel = Kernel(5, 3, std::vector<double>(15, 1)), .border = Border::taper}),
        Filter(CosineTruncation{.side = 0, .block = 8}), Filter(WaveletShrink{.shifts = 2, .noise = 0.1F}),
        Filter(RichardsonLucy{.iterations = 0, .noise = 0, .border = Border::wrap}),
        Filter(RichardsonLucy{.psf = Kernel(3, 3, std::vector<double>(9, 0)), .noise = 0, .border = Border::wrap})}) {
    CAPTURE(f.text());
    CHECK_THROWS_AS(f(in), InvalidArgument);
    CHECK_THROWS_AS(on_device().run(f, in), InvalidArgument);
    CHECK_THROWS_AS(on_device().run(Chain{Invert{}, f}, in), InvalidArgument);
  }
  Image same = in;
  CHECK_THROWS_AS(on_device().run(Gaussian{}, same, {.out = same.view()}), InvalidArgument);
  CHECK_THROWS_AS(on_device().run(Gaussian{}, ConstView()), InvalidArgument);
  CHECK_THROWS_AS(device::measure("0", 3), InvalidArgument);
}

TEST_CASE("figures of a picture that are worked out there") {
  Image in = noise(203, 117, 4), truth = noise(203, 117, 4, 3);
  in.at(7, 9) = std::numeric_limits<float>::quiet_NaN();
  in.at(8, 9) = -0.5F;
  in.at(9, 9) = 3;
  const auto card = device::open();
  const auto there = device::statistics(*card, in), here = statistics(in);
  REQUIRE(there.size() == 3);
  for (std::size_t c = 0; c < 3; ++c) {
    CHECK(there[c].minimum == here[c].minimum);
    CHECK(there[c].maximum == here[c].maximum);
    CHECK(there[c].mean == doctest::Approx(here[c].mean).epsilon(1e-7));
    CHECK(there[c].deviation == doctest::Approx(here[c].deviation).epsilon(1e-6));
    CHECK(there[c].at_floor == here[c].at_floor);
    CHECK(there[c].at_ceiling == here[c].at_ceiling);
    CHECK(there[c].below == here[c].below);
    CHECK(there[c].above == here[c].above);
    CHECK(there[c].not_finite == here[c].not_finite);
  }
  for (const HistogramOptions& o : {HistogramOptions{.channel = 0, .bins = 64, .low = 0.0, .high = 1.0},
                                    HistogramOptions{.channel = 1, .bins = 300, .low = -1.0, .high = 2.0},
                                    HistogramOptions{.bins = 256, .low = 0.0, .high = 1.0}}) {
    const Histogram a = device::histogram(*card, in, o), b = histogram(in, o);
    REQUIRE(a.counts.size() == b.counts.size());
    std::size_t moved = 0;
    for (std::size_t i = 0; i < a.counts.size(); ++i)
      moved += a.counts[i] > b.counts[i] ? a.counts[i] - b.counts[i] : b.counts[i] - a.counts[i];
    CHECK(moved <= 8);
    CHECK(a.below == b.below);
    CHECK(a.above == b.above);
    CHECK(a.not_finite == b.not_finite);
  }
  CHECK(device::psnr(*card, in, truth) == doctest::Approx(psnr(in, truth)).epsilon(1e-6));
  CHECK(std::isinf(device::psnr(*card, truth, truth)));
  const Image smooth = Gaussian{.sigma = 1}(truth), small = noise(6, 9, 1), other = noise(6, 9, 1, 2);
  CHECK(device::ssim(*card, smooth, truth) == doctest::Approx(ssim(smooth, truth)).epsilon(1e-5));
  CHECK(device::ssim(*card, small, other) == doctest::Approx(ssim(small, other)).epsilon(1e-5));
  CHECK(device::ssim(*card, truth, truth) == doctest::Approx(1).epsilon(1e-5));
  CHECK_THROWS_AS(device::psnr(*card, in, small), InvalidArgument);
  CHECK_THROWS_AS(device::histogram(*card, in, {.channel = 3}), InvalidArgument);
  CHECK_THROWS_WITH_AS(device::histogram(*card, in, {.bins = -1}), doctest::Contains("bins=-1"), InvalidArgument);
  CHECK_THROWS_WITH_AS(device::histogram(*card, in, {.low = 1, .high = 1}), doctest::Contains("give low < high"),
                       InvalidArgument);
  Lost foreign;
  CHECK_THROWS_AS(device::statistics(foreign, in), InvalidArgument);
}

TEST_CASE("a chain that stays there is one upload, its points one kernel, and one download, however long") {
  const Image in = noise(320, 200, 3);
  const Chain chain{Brightness{}, Contrast{}, Gamma{}, Clip{}, Gaussian{.sigma = 2}};
  const Run run = on_device().run(chain, in);
  REQUIRE(run.report.device.size() == 1);
  const DeviceFigures& f = run.report.device[0];
  CHECK(f.count == 5);
  CHECK(f.uploads == 1);
  CHECK(f.kernels == 3);
  CHECK(f.downloads == 1);
  CHECK(f.bytes_up == 320 * 200 * 3 * 4);
  CHECK(f.bytes_down == f.bytes_up);
  CHECK(f.seconds_kernels > 0);
  CHECK(apart(run.image, chain(in)) < 3e-6);
  std::vector<Filter> many(12, Gaussian{.sigma = 1});
  const Run longer = on_device().run(Chain(many), in);
  CHECK(longer.report.device[0].bytes_up + longer.report.device[0].bytes_down == 2 * f.bytes_up);
  // Asking for figures changes nothing, and they are those of the processors.
  const Run told = on_device().run(chain, in, {.figures = true}),
            here = Engine::standard().run(chain, in, {.figures = true});
  CHECK(identical(told.image, run.image));
  REQUIRE(told.report.steps.size() == 5);
  for (std::size_t i = 0; i < 5; ++i) {
    const SampleFigures &a = told.report.steps[i].figures, &b = here.report.steps[i].figures;
    CHECK(a.samples == b.samples);
    CHECK(std::abs(a.low - b.low) + std::abs(a.high - b.high) < 1e-5F);
    CHECK(a.above == b.above);
    CHECK(told.report.steps[i].text == here.report.steps[i].text);
  }
}

TEST_CASE("what the device has no form of runs on processors, in its place; parts, buffers and measured steps") {
  const Image in = noise(90, 70, 4);
  const Chain chain{Stretch{}, Gaussian{.sigma = 1}, AdaptiveWiener{.noise = 0.1F}, Invert{}, Median{.radius = 2}};
  const Run run = on_device().run(chain, in);
  CHECK(apart(run.image, chain(in)) < 1e-5);
  REQUIRE(run.report.device.size() == 2);
  CHECK(run.report.device[0].count == 2);  // the range is measured here, before the upload
  CHECK(run.report.device[1].first == 3);
  const auto told = on_device().run(chain, in, {.figures = true}).report.steps;
  REQUIRE(told.size() == 5);
  CHECK(told[0].notes.at(0).find("stretch: low=") == 0);
  const Rectangle part{20, 30, 40, 25};
  CHECK(apart(on_device().run(chain, in, {.part = part}).image, run.image.view().part(part)) == 0);
  Image out(in.shape());
  CHECK(on_device().run(chain, in, {.out = out.view()}).image.empty());
  CHECK(identical(out, run.image));
  // Rows stored from the bottom up, in a wider buffer.
  std::vector<float> wide(100 * 50);
  View upside{wide.data() + 100 * 49, {80, 50, 1}, -100, 0};
  const Image gray = noise(80, 50);
  copy(gray.view(), upside);
  Image straight(80, 50);
  on_device().run(Chain{Cross{}, Doubled{}}, ConstView(upside), {.out = straight.view()});
  CHECK(apart(straight, Chain{Cross{}, Doubled{}}(gray)) < 1e-6);
  std::stop_source stop;
  stop.request_stop();
  CHECK_THROWS_AS(on_device().run(chain, in, {.stop = stop.get_token()}), Canceled);
}

TEST_CASE("pictures larger than the memory that may be used go by strips, the same bit for bit") {
  const Image in = noise(200, 300, 3);
  const Chain chain{Gaussian{.sigma = 2, .border = Border::mirror}, Gamma{}, Median{}, Opening{.radius = 3}};
  const Run whole = on_device().run(chain, in);
  Engine small{{.device = device::open("", 2 * 200 * 3 * 4 * 90)}};
  const Run strips = small.run(chain, in, {.figures = true});
  CHECK(strips.report.device.at(0).uploads > 3);
  CHECK(identical(strips.image, whole.image));
  CHECK(strips.report.steps.back().figures.samples == in.shape().samples());
  // What needs all of it at once is for processors.
  const Filter wrapped = Gaussian{.sigma = 2, .border = Border::wrap};
  const Run here = small.run(wrapped, in);
  CHECK(here.report.device.empty());
  CHECK(identical(here.image, wrapped(in)));
}

TEST_CASE("forms of one's own, and the lines of those that do not build") {
  const Image in = noise(61, 43, 3);
  for (const Border b : {Border::edge, Border::mirror, Border::wrap, Border::zero}) {
    const Chain chain{Doubled{.by = 3}, Cross{.border = b}, Doubled{}};
    const Run run = on_device().run(chain, in);
    CHECK(run.report.device.at(0).kernels == 3);
    CHECK(apart(run.image, chain(in)) < 1e-6);
  }
  CHECK_THROWS_AS(device::window(65, "return 0;"), InvalidArgument);
  try {
    on_device().run(Misspelled{}, in);
    FAIL("it built");
  } catch (const Error& e) {
    CHECK(std::string(e.what()).find("wrnog") != std::string::npos);
    CHECK(std::string(e.what()).find(":2:") != std::string::npos);
  }
  Engine forgiving{{.device = device::open(), .device_or_processors = true}};
  const Run run = forgiving.run(Chain{Misspelled{}, Invert{}}, in, {.figures = true});
  CHECK(identical(run.image, Chain{Misspelled{}, Invert{}}(in)));
  CHECK(run.report.steps.at(0).notes.at(0).find("processors did it instead") != std::string::npos);
}

TEST_CASE("a device that is lost in the middle: an error, or the processors' result") {
  const Image in = noise(40, 30, 4);
  const Chain chain{Gaussian{.sigma = 1}, Invert{}};
  Engine strict{{.device = std::make_shared<Lost>()}};
  CHECK_THROWS_WITH_AS(strict.run(chain, in), "device: the cable was pulled", Error);
  Engine forgiving{{.device = std::make_shared<Lost>(), .device_or_processors = true}};
  CHECK(identical(forgiving.run(chain, in).image, chain(in)));
  CHECK(forgiving.run(chain, in).report.device.empty());
  // In place, too: what the device had written by then is not taken for the picture.
  Image same = in;
  forgiving.run(Chain{Invert{}, Clip{}}, same, {.out = same.view()});
  CHECK(identical(same, Chain{Invert{}, Clip{}}(in)));
}

TEST_CASE("devices are told and found by number and name; one serves many threads") {
  const auto all = device::list();
  REQUIRE(!all.empty());
  CHECK(all[0].memory > 1 << 20);
  CHECK(all[0].units >= 1);
  CHECK(device::open("0")->name() == all[0].name);
  CHECK(device::open(all[0].name.substr(0, 5))->name() == all[0].name);
  CHECK_THROWS_WITH_AS(device::open("no such card"), doctest::Contains(all[0].name.c_str()), InvalidArgument);
  CHECK_THROWS_AS(device::open("99"), InvalidArgument);
  CHECK(device::measure("0", 256).copy > 0);
  const Image in = noise(150, 120);
  const Image expected = on_device().run(Gaussian{.sigma = 3}, in).image;
  std::atomic<int> same = 0;
  std::vector<std::thread> threads;
  for (int t = 0; t < 4; ++t) {
    threads.emplace_back([&] {
      for (int i = 0; i < 5; ++i) same += identical(on_device().run(Gaussian{.sigma = 3}, in).image, expected) ? 1 : 0;
    });
  }
  for (std::thread& t : threads) t.join();
  CHECK(same == 20);
}
