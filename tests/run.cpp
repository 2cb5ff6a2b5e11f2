// The engine: the same bits however a chain runs, and what a run promises besides.

#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <chrono>
#include <condition_variable>
#include <mutex>
#include <set>
#include <string>
#include <thread>

#include "catalogue.hpp"
#include "sieve/run.hpp"

using namespace sieve;
using namespace test;
using namespace std::chrono_literals;

namespace {

// A point filter and a window filter of one's own, each given by its description alone.
struct Fade {
  Real toward = 0.5F;
  static void describe(Description<Fade>& d) {
    d.called("fade", "mine", "Half-way to a level.").wrong("never");
    d.maps_samples(
        [](const Fade& f) { return [to = static_cast<float>(f.toward)](float v) { return 0.5F * (v + to); }; });
    d.field("toward", &Fade::toward, "0..1 scale", "the level", {0, 1});
  }
};
struct Mean5 {
  Border border = Border::edge;
  static void describe(Description<Mean5>& d) {
    d.called("mean5", "mine", "The mean of 5 by 5.").wrong("never");
    d.maps_windows<2>(&Mean5::border, [](const Mean5&) {
      return [](const LaneWindow& w) {
        Lanes sum;
        for (int y = -2; y <= 2; ++y) {
          for (int x = -2; x <= 2; ++x) sum += w(x, y);
        }
        return sum / 25.0F;
      };
    });
  }
};
struct Slope {
  static void describe(Description<Slope>& d) {
    d.called("slope", "mine", "Brighter to the right.").wrong("never");
    d.maps_places([](const Slope&) {
      return [](float v, const RowPlace& at) { return v + static_cast<float>(at.x) / static_cast<float>(at.width); };
    });
  }
};
// Measured first, and still without a call operator.
struct Centered {
  std::optional<float> mean = {};
  static void describe(Description<Centered>& d) {
    d.called("centered", "mine", "Less the mean.").wrong("never");
    d.maps_samples([](const Centered& f) { return [m = f.mean.value_or(100)](float v) { return v - m; }; });
    d.measures([](const Centered& f) { return !f.mean; },
               [](const Centered& f, const ConstView& in) {
                 Centered known = f;
                 known.mean = static_cast<float>(statistics(in)[0].mean);
                 return known;
               });
    d.field("mean", &Centered::mean, "0..1 scale", "what is taken off");
  }
};
struct Silent {
  static void describe(Description<Silent>& d) { d.called("silent", "mine", "Says nothing of what it does."); }
};

Image part_of(const Image& whole, const Rectangle& r) { return Image(whole.view().part(r)); }

// True where a part of the result needs the whole picture: then it is cut out of the whole result.
bool needs_all(const Engine& engine, const Filter& f, const Shape& shape) {
  const Plan plan = engine.plan(f, shape, 0, {.part = Rectangle{0, 0, 1, 1}});
  return std::any_of(plan.passes.begin(), plan.passes.end(), [](const PlannedPass& p) { return p.way == Way::whole; });
}

}  // namespace

TEST_CASE("every filter: the same bits through an engine, into a buffer, heard, by steps, in a chain, on any threads") {
  // High enough for several strips; where there are none, what is smaller does.
  const Image gray = noise(test::sanitized ? 67 : 331, 402), low = noise(131, 102), color = noise(150, 121, 4);
  Engine one{{.threads = 1}}, two{{.threads = 2}};
  for (const Image* large : {&gray, &color}) {
    bool turn = large == &gray;
    for (const Filter& f : every_filter(*large, false)) {
      // Where it is slow, each filter on one of the two.
      if (test::sanitized && (turn = !turn)) continue;
      CAPTURE(f.text());
      const Image* in = large == &gray && needs_all(one, f, gray.shape()) ? &low : large;
      Image alone;
      try {
        alone = f(*in);
      } catch (const InvalidArgument&) {
        CHECK_THROWS_AS(one.run(f, *in), InvalidArgument);
        continue;
      }
      const Run plain = one.run(f, *in);
      CHECK(identical(plain.image, alone));
      CHECK(plain.image.white_level() == alone.white_level());
      Image out(alone.shape());
      CHECK(two.run(f, *in, {.out = out, .figures = true}).image.empty());
      CHECK(identical(out, alone));
      const Chain chain{Clip{}, f, Invert{}};
      const Image stepwise = Invert{}(f(Clip{}(*in)));
      CHECK(identical(chain(*in), stepwise));
      std::size_t heard = 0;
      CHECK(identical(one.run(chain, *in, {.on_step = [&](std::size_t i, const ConstView&) { heard += i + 1; }}).image,
                      stepwise));
      CHECK(heard == 6);
      const Run figures = two.run(chain, *in, {.figures = true});
      CHECK(identical(figures.image, stepwise));
      REQUIRE(figures.report.steps.size() == 3);
      CHECK(figures.report.steps[0].figures.below + figures.report.steps[0].figures.above == 0);
    }
  }
}

TEST_CASE(
    "a part has the bits of that part of the whole, for every filter, at every edge, in one pass and behind others") {
  const Image gray = test::sanitized ? noise(170, 150) : noise(413, 377), color = noise(160, 131, 3);
  Engine engine{{.threads = 2}};
  for (const Image* in : {&gray, &color}) {
    const int w = in->width(), h = in->height();
    bool turn = in == &gray;
    for (const Filter& f : every_filter(*in, false)) {
      if (test::sanitized && (turn = !turn)) continue;
      CAPTURE(f.text());
      const Chain chain{Median{.radius = 1}, f, Unsharp{.sigma = 1.2F}};
      for (const auto& [text, whole] : {std::pair<Filter, Image>{f, f(*in)}, {chain, chain(*in)}}) {
        if (whole.width() != w || whole.height() != h) continue;
        for (const Rectangle& r :
             {Rectangle{71, 45, 64, 64}, {0, 0, 40, 30}, {w - 33, h - 51, 33, 51}, {100, 0, 1, h}}) {
          CAPTURE(r.x);
          CHECK(identical(engine.run(text, *in, {.part = r}).image, part_of(whole, r)));
          if (needs_all(engine, text, in->shape())) break;
        }
      }
    }
  }
  // With its noise given, block matching looks no farther than its passes.
  for (const char* text :
       {"block_matching noise=0.1 effort=fast search=6", "block_matching noise=0.1 search=5",
        "block_matching noise=0.1 search=4 step=2", "block_matching noise=0.1 by=singular search=5 step=6"}) {
    const Filter blocks = Chain::parse(text).steps()[0];
    const Image whole = blocks(color);
    for (const Rectangle& r : {Rectangle{0, 0, 30, 20}, {71, 45, 23, 64}, {160 - 33, 131 - 21, 33, 21}})
      CHECK(identical(engine.run(blocks, color, {.part = r}).image, part_of(whole, r)));
  }
  const Chain chain = Chain::parse("median radius=2 then gaussian sigma=1.5 then stretch then gamma then unsharp");
  const Image whole = chain(gray);
  Image into(50, 60);
  engine.run(chain, gray, {.out = into, .part = Rectangle{110, 80, 50, 60}, .figures = true});
  CHECK(identical(into, part_of(whole, {110, 80, 50, 60})));
  CHECK_THROWS_WITH_AS(engine.run(chain, color, {.part = Rectangle{150, 0, 14, 1}}),
                       "chain: the part 14x1 at 150,0 is not inside the result of 160x131", InvalidArgument);
  CHECK_THROWS_AS(engine.run(chain, gray, {.out = into, .part = Rectangle{0, 0, 60, 50}}), InvalidArgument);
}

TEST_CASE("plans say what runs together, what needs the whole picture, and what part of the source is read") {
  const Engine engine{{.threads = 2}};
  const Shape shape{3000, 2000, 1};
  const auto plan = [&](const std::string& text, std::uint32_t white = 0, const RunOptions& o = {}) {
    return engine.plan(Chain::parse(text), shape, white, o);
  };
  const Plan points = plan("contrast then gamma then sigmoid then clip");
  REQUIRE(points.passes.size() == 1);
  CHECK(points.passes[0].way == Way::rows);
  CHECK(points.passes[0].count == 4);
  CHECK(points.passes[0].looked_up == 0);
  CHECK(points.bytes == 0);
  CHECK(plan("contrast then gamma then vignette then clip", 255).passes[0].looked_up == 2);
  CHECK(plan("contrast then clip", 255).passes[0].looked_up == 0);  // cheaper than any table

  const Plan mixed = plan("gaussian sigma=2 then unsharp then stretch then invert then equalize then clip");
  REQUIRE(mixed.passes.size() == 4);
  CHECK(mixed.passes[0].way == Way::strips);
  CHECK(mixed.passes[0].count == 2);
  CHECK(mixed.passes[0].bytes < 8'000'000);
  CHECK(mixed.passes[1].measures);
  CHECK(mixed.passes[1].along);  // its range, while the strips are written
  CHECK_FALSE(plan("gaussian sigma=2 then stretch").passes[1].along);
  CHECK_FALSE(plan("gaussian sigma=2 then unsharp then stretch percent=1").passes[1].along);
  CHECK(mixed.passes[1].way == Way::rows);
  CHECK(mixed.passes[2].way == Way::whole);
  CHECK(mixed.passes[2].why == "a sample depends on the whole picture");
  CHECK(mixed.text().find("measured in the pass before, in one pass over rows") != std::string::npos);
  // Where all that follows can be done in place, nothing lies between.
  CHECK(plan("gaussian sigma=2 then unsharp then stretch").passes[0].result_bytes == 0);

  const Plan part = plan("median radius=1 then gaussian sigma=3", 0, {.part = Rectangle{1000, 0, 256, 256}});
  CHECK(part.needs == Rectangle{987, 0, 282, 269});
  CHECK(plan("median then equalize", 0, {.part = Rectangle{0, 0, 9, 9}}).needs == Rectangle{0, 0, 3000, 2000});
  CHECK_THROWS_AS(plan("gaussian sigma=-1"), InvalidArgument);
  CHECK_THROWS_AS(plan("crop width=4000"), InvalidArgument);
}

TEST_CASE(
    "a range that is found on the way is that of the picture, also where it has no finite sample or none at all") {
  Engine engine{{.threads = 2}};
  Image odd = noise(700, 400, 3);
  odd.at(3, 5, 1) = std::nanf("");
  odd.at(699, 399, 2) = -std::numeric_limits<float>::infinity();
  Image none(300, 200);
  none.fill(std::nanf(""));
  for (const Image& in : {odd, none, noise(20, 20), Image(50, 40)}) {
    for (const char* text :
         {"brightness amount=0.2 then contrast then stretch", "median then box radius=3 then stretch",
          "invert then gamma then stretch then gain then stretch high=2"}) {
      CAPTURE(text);
      const Chain chain = Chain::parse(text);
      Image steps = in;
      for (const Filter& f : chain.steps()) steps = f(steps);
      CHECK(identical(engine.run(chain, in).image, steps));
      CHECK(identical(engine.run(chain, in, {.figures = true}).image, steps));
      CHECK(identical(engine.run(chain, in, {.part = Rectangle{5, 6, 7, 8}}).image, part_of(steps, {5, 6, 7, 8})));
    }
  }
}

TEST_CASE("the time that a run will take: a try that nobody hears, and that takes wrong calls for what they are") {
  Engine engine{{.threads = 2}};
  const Image in = noise(1200, 900);
  Watch watch;
  int heard = 0;
  watch.on_note = [&](const std::string&) { ++heard; };
  watch.on_progress = [&](double) { ++heard; };
  const Watch::Active active(watch);
  CHECK(engine.expected_seconds(Chain::parse("adaptive_wiener then clip"), in) > 0);
  CHECK(heard == 0);
  CHECK_THROWS_AS(engine.expected_seconds(Gaussian{.sigma = -1}, in), InvalidArgument);
  CHECK_THROWS_AS(engine.expected_seconds(Crop{.width = 2000}, in), InvalidArgument);
  watch.stop();
  CHECK_THROWS_AS(engine.expected_seconds(NonlocalMeans{}, in), Canceled);
}

TEST_CASE("memory: a plan that needs more than there is, is refused before work; one that fits stays within it") {
  const Image in = noise(1500, 1200);
  Engine small{{.threads = 2, .memory = 4u << 20}};
  const Chain whole = Chain::parse("gaussian sigma=2 then equalize then clip");
  CHECK_THROWS_WITH_AS(small.run(whole, in), doctest::Contains("MiB are needed beyond source and result"), Error);
  const Chain strips = Chain::parse("gaussian sigma=2 then unsharp then clip");
  CHECK(small.plan(strips, in.shape()).bytes < 4u << 20);
  CHECK(identical(small.run(strips, in).image, strips(in)));
  CHECK_THROWS_AS(Engine{{.threads = -1}}, InvalidArgument);
  // 160 GB: more than there is.
  const Pad enormous{.left = 100'000, .right = 100'000, .top = 100'000, .bottom = 100'000};
  CHECK_THROWS_WITH_AS(Engine().run(enormous, in), doctest::Contains("and this machine has"), Error);
}

TEST_CASE("buffers: the source itself for point filters, none that overlaps, nothing written where the call is wrong") {
  Engine engine;
  Image frame = noise(640, 300, 3);
  const Image before = frame;
  const Chain points = Chain::parse("brightness then hue_shift degrees=20 then clip");
  const Image wanted = points(before);
  engine.run(points, frame, {.out = frame});
  CHECK(identical(frame, wanted));
  const Chain window = Chain::parse("clip then gaussian");
  CHECK_THROWS_AS(engine.run(window, frame, {.out = frame}), InvalidArgument);
  const SharedImage second(noise(640, 300, 1));
  const Chain pair{Clip{}, Subtract{.with = second}};
  const Image gray = noise(640, 300, 1, 3);
  View over = const_cast<Image&>(second.image("", "")).view();
  CHECK_THROWS_AS(engine.run(pair, gray, {.out = over}), InvalidArgument);
  Image other(640, 301, 3);
  CHECK_THROWS_AS(engine.run(points, frame, {.out = other}), InvalidArgument);
  CHECK(identical(frame, wanted));
  CHECK(identical(engine.run(Chain(), frame).image, frame));
}

TEST_CASE("tables: the bits of the curves, also where a picture's samples are no levels of its own") {
  Image levels(700, 300);
  for (int y = 0; y < 300; ++y) {
    for (int x = 0; x < 700; ++x) levels.at(x, y) = static_cast<float>((x * 7 + y * 3) % 256) / 255.0F;
  }
  levels.set_white_level(255);
  Image odd = levels;
  for (int x = 0; x < 700; x += 3) odd.at(x, x % 300) = static_cast<float>(x % 11) / 10.9F - 0.1F;
  odd.at(5, 5) = -0.0F;
  odd.at(6, 5) = std::numeric_limits<float>::quiet_NaN();
  odd.at(7, 5) = std::numeric_limits<float>::infinity();
  Engine engine;
  for (const char* text : {"gamma then sigmoid", "logarithm then curve points=0,0/0.3,0.5/1,1 then quantize bits=5",
                           "linearize", "encode then solarize then gain factor=-2"}) {
    const Chain chain = Chain::parse(text);
    CAPTURE(std::string(text));
    CHECK(engine.plan(chain, levels.shape(), 255).passes[0].looked_up == chain.steps().size());
    for (const Image* in : {&levels, &odd}) {
      Image floats = *in;
      floats.set_white_level(0);
      CHECK(identical(engine.run(chain, *in).image, engine.run(chain, floats).image));
    }
  }
}

TEST_CASE("a struct whose description says all: it runs, fuses, is cut, and misses nothing but an operator") {
  const Image in = noise(700, 400, 3);
  const Filter fade{Fade{.toward = 1}}, mean{Mean5{}}, slope{Slope{}};
  CHECK(identical(fade(in), map_samples(in, [](float v) { return 0.5F * (v + 1); })));
  CHECK(deviation(mean(in), Convolve{.kernel = Kernel::parse("box:radius=2")}(in)) < 1e-6);
  CHECK(slope(in).at(350, 7, 1) == in.at(350, 7, 1) + 0.5F);
  const Filter centered{Centered{}};
  const float mean_of_first = static_cast<float>(statistics(in)[0].mean);
  CHECK(centered(in).at(9, 9, 2) == in.at(9, 9, 2) - mean_of_first);
  Engine engine;
  const Run behind = engine.run(Chain{Invert{}, centered}, in, {.figures = true});
  CHECK(identical(behind.image, centered(Invert{}(in))));
  CHECK(behind.report.steps[1].notes.size() == 1);
  CHECK(behind.report.steps[1].shape == in.shape());
  CHECK(identical(engine.run(Fade{.toward = 1}, in).image, fade(in)));
  CHECK(engine.plan(Chain{fade, slope, Invert{}}, in.shape()).passes.size() == 1);
  const Chain chain{slope, mean, fade, Gaussian{.sigma = 1}, Mean5{.border = Border::mirror}};
  CHECK(engine.plan(chain, in.shape()).passes.size() == 1);
  const Image steps = Filter(Mean5{.border = Border::mirror})(Gaussian{.sigma = 1}(fade(mean(slope(in)))));
  CHECK(identical(engine.run(chain, in).image, steps));
  CHECK(identical(engine.run(chain, in, {.part = Rectangle{333, 111, 90, 80}}).image,
                  part_of(steps, {333, 111, 90, 80})));
  CHECK_THROWS_WITH_AS(Filter{Silent{}}, doctest::Contains("nothing says what it does"), InvalidArgument);

  // By one sample and by sixteen: the same sums in the same order.
  const auto by_sample = [](const Window& w) { return w(-1, 0) * 0.25F + w(0, -1) - w(1, 1); };
  const auto by_lanes = [](const LaneWindow& w) { return w(-1, 0) * 0.25F + w(0, -1) - w(1, 1); };
  for (const Border b : {Border::edge, Border::wrap, Border::zero}) {
    for (const int width : {1, 5, 16, 33}) {
      const Image narrow = noise(width, 19);
      CHECK(identical(map_windows(narrow, 1, b, by_sample), map_windows<1>(narrow, b, by_lanes)));
    }
  }
  const Lanes low = -1.0F, high = 2.0F;
  float out[Lanes::count];
  (sqrt(max(low, high) * high) + abs(low) + choose(low < high, low, high) + min(low, high)).store(out);
  CHECK(out[3] == 1.0F);
}

TEST_CASE("the report: ranges and counts are those of the steps one after the other, on any cut") {
  Image in = noise(1300, 900);
  in.at(700, 500) = std::numeric_limits<float>::quiet_NaN();
  in.at(20, 20) = -std::numeric_limits<float>::infinity();
  const Chain chain =
      Chain::parse("invert then median radius=2 then unsharp amount=3 then gamma then stretch then clip");
  Engine engine{{.threads = 2}};
  const Run run = engine.run(chain, in, {.figures = true});
  REQUIRE(run.report.steps.size() == chain.steps().size());
  Image current = in;
  for (std::size_t i = 0; i < chain.steps().size(); ++i) {
    current = chain.steps()[i](current);
    const StepReport& s = run.report.steps[i];
    CAPTURE(s.text);
    const ChannelStatistics whole = statistics(current)[0];
    CHECK(s.figures.samples == current.shape().samples());
    CHECK(s.figures.below == whole.below);
    CHECK(s.figures.above == whole.above);
    CHECK(s.figures.not_finite == whole.not_finite);
    CHECK(s.figures.low == static_cast<float>(whole.minimum));
    CHECK(s.figures.high == static_cast<float>(whole.maximum));
    CHECK(s.seconds > 0);
  }
  CHECK(run.report.steps[1].meaning == "window 5x5");
  CHECK(run.report.steps[4].notes.size() == 1);
  CHECK(run.report.steps[4].text.find("low=") != std::string::npos);
  CHECK(engine.run(chain, in).report.steps.empty());
}

TEST_CASE("an engine holds no thread of the host's back, and two engines in two threads do not mix") {
  // The host's own parallel work meets in the middle: all of its threads must be there at once.
  const int host = tbb::this_task_arena::max_concurrency();
  const auto meets = [&] {
    std::mutex mutex;
    std::condition_variable all;
    int here = 0;
    std::atomic<bool> met = true;
    tbb::task_arena arena(host);
    arena.execute([&] {
      tbb::parallel_for(
          0, host,
          [&](int) {
            std::unique_lock lock(mutex);
            ++here;
            all.notify_all();
            if (!all.wait_for(lock, 10s, [&] { return here == host; })) met = false;
          },
          tbb::simple_partitioner());
    });
    return met.load();
  };
  Engine one{{.threads = 1}};
  set_threads(1);
  const Image in = noise(900, 700);
  const Chain chain = Chain::parse("gaussian sigma=2 then unsharp then stretch"),
              other = Chain::parse("median then gamma");
  const Image wanted = chain(in), wanted_other = other(in);
  CHECK(identical(one.run(chain, in).image, wanted));
  CHECK(meets());
  set_threads(0);
  CHECK(one.threads() == 1);
  std::atomic<int> wrong = 0;
  const auto work = [&](Engine& engine, const Chain& c, const Image& result) {
    for (int i = 0; i < 8; ++i) wrong += identical(engine.run(c, in).image, result) ? 0 : 1;
  };
  Engine two{{.threads = 2}};
  std::thread a([&] { work(one, chain, wanted); }), b([&] { work(two, other, wanted_other); }),
      c([&] { work(two, chain, wanted); });
  a.join();
  b.join();
  c.join();
  CHECK(wrong == 0);
}

TEST_CASE("a stop, a deadline, and progress that rises to 1 once, at the end") {
  const Image in = noise(1200, 1000);
  Engine engine{{.threads = 2}};
  const Chain slow = Chain::parse("nonlocal_means noise=0.2 search=10 then clip");
  std::stop_source source;
  try {
    engine.run(slow, in, {.stop = source.get_token(), .progress = [&](double) { source.request_stop(); }});
    FAIL("it went on");
  } catch (const Canceled& stopped) {
    CHECK(stopped.by() == Canceled::By::request);
  }
  try {
    engine.run(slow, in, {.deadline = 50ms});
    FAIL("it went on");
  } catch (const Canceled& stopped) {
    CHECK(stopped.by() == Canceled::By::deadline);
  }
  std::mutex mutex;
  std::vector<double> shares;
  engine.run(Chain::parse("median radius=9 then nonlocal_means noise=0.2 search=3 then clip"), in,
             {.progress = [&](double s) {
               const std::lock_guard lock(mutex);
               shares.push_back(s);
             }});
  REQUIRE(!shares.empty());
  CHECK(shares.back() == 1);
  CHECK(std::is_sorted(shares.begin(), shares.end()));
  CHECK(std::count(shares.begin(), shares.end(), 1.0) == 1);
}
