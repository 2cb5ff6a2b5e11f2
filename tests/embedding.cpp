// The library within a program of somebody else: many threads at once, buffers of one's own, alpha, errors, stopping.

#include <algorithm>
#include <atomic>
#include <thread>

#include "catalogue.hpp"

using namespace sieve;
using test::deviation;
using test::noise;

namespace {

// What a filter makes of a picture, or the words of its refusal.
struct Result {
  Image image;
  std::string refusal;
  bool operator==(const Result& other) const {
    return refusal == other.refusal && image.shape() == other.image.shape() &&
           (image.empty() || identical(image, other.image));
  }
};
Result result_of(const Filter& f, const ConstView& in) {
  try {
    return {f(in), ""};
  } catch (const InvalidArgument& e) {
    return {{}, e.what()};
  }
}

// A buffer that is larger than the view in it, with a mark in all that lies outside.
struct Surrounded {
  static constexpr float kMark = -77;
  Shape shape;
  std::ptrdiff_t row, plane;
  std::vector<float> all;
  explicit Surrounded(const Shape& s)
      : shape(s),
        row(s.width + 11),
        plane(row * (s.height + 5)),
        all(static_cast<std::size_t>(plane * s.channels + 64), kMark) {}
  View view() { return View{all.data() + 3 + 2 * row, shape, row, plane, 0}; }
  // How many samples outside of the view are no longer the mark.
  int touched() {
    Surrounded bare(*this);
    const View v = bare.view();
    for (int c = 0; c < shape.channels; ++c) {
      for (int y = 0; y < shape.height; ++y) std::fill(v.row(y, c), v.row(y, c) + shape.width, kMark);
    }
    return static_cast<int>(std::count_if(bare.all.begin(), bare.all.end(), [](float f) { return f != kMark; }));
  }
};

// One of each family, with its parameters, as structs.
template <class Work>
void some_of_each_family(Work work) {
  work(Gaussian{.sigma = 2.5F});
  work(Gaussian{.sigma = 30});
  work(Box{.radius = 6});
  work(Convolve{.kernel = Kernel::parse("emboss")});
  work(Convolve{.kernel = Kernel::disk(5), .method = ConvolutionMethod::fourier});
  work(GradientMagnitude{});
  work(Median{.radius = 1});
  work(Median{.radius = 3});
  work(Median{.radius = 9});
  work(AdaptiveMedian{});
  work(AlphaTrimmedMean{.radius = 2});
  work(Opening{.radius = 4});
  work(Clip{});
  work(Stretch{.percent = 1});
  work(Equalize{});
  work(Clahe{.columns = 3, .rows = 2});
  work(Gamma{.exponent = 0.6F});
  work(Flatten{});
  work(Homomorphic{});
  work(TotalVariation{.weight = 0.1F});
  work(NonlocalMeans{.patch = 1, .search = 3, .noise = 0.1F});
  work(Bilateral{.sigma = 1.5F, .range = 0.2F});
  work(Bilateral{.sigma = 5, .range = 0.2F, .method = BilateralMethod::fast});
  work(Guided{.radius = 4, .strength = 0.1F});
  work(Diffusion{.iterations = 5, .edge = 0.1F});
  work(AdaptiveWiener{.noise = 0.1F});
  work(WaveletShrink{.noise = 0.1F});
  work(Unsharp{});
  work(BoundedUnsharp{});
  work(LowPass{});
  work(BandStop{});
  work(Wiener{.psf = Kernel::gaussian(1.2), .ratio = 0.01F});
  work(RichardsonLucy{.psf = Kernel::gaussian(1.2), .iterations = 5, .smoothness = 0.0F, .noise = 0.0F});
  work(LowRank{.rank = 5});
}

}  // namespace

TEST_CASE("the whole catalogue from many threads at once gives what each filter gives alone") {
  const Image in = noise(83, 61, 3);
  const std::vector<Filter> all = test::every_filter(in);
  CHECK(all.size() > 90);
  std::vector<Result> alone;
  int done = 0;
  for (const Filter& f : all) {
    alone.push_back(result_of(f, in));
    done += alone.back().refusal.empty();
  }
  CHECK(done > 85);
  std::vector<std::vector<std::string>> differ(4);
  std::vector<std::thread> threads;
  for (std::size_t t = 0; t < differ.size(); ++t) {
    threads.emplace_back([&, t] {
      // Each begins elsewhere, so that different filters meet in the caches.
      for (std::size_t i = 0; i < all.size(); ++i) {
        const std::size_t k = (i * 7 + t * 23) % all.size();
        const Filter copy = all[k];
        if (!(result_of(copy, in) == alone[k])) differ[t].push_back(copy.text());
      }
    });
  }
  for (std::thread& t : threads) t.join();
  for (const auto& names : differ) {
    for (const std::string& name : names) MESSAGE("differs among threads: " << name);
    CHECK(names.empty());
  }
}

TEST_CASE("filters within somebody's own parallel loop, and with the number of threads changed meanwhile") {
  const Image in = noise(150, 90);
  const Image expected = Chain::parse("gaussian sigma=3 then median radius=2 then clahe")(in);
  std::vector<char> same(12, 0);
  parallel_rows(
      12, 1 << 20,
      [&](int first, int last) {
        for (int i = first; i < last; ++i) {
          set_threads(i % 3);
          same[static_cast<std::size_t>(i)] =
              identical(Chain::parse("gaussian sigma=3 then median radius=2 then clahe")(in), expected);
        }
      },
      1);
  set_threads(0);
  for (const char s : same) CHECK(s == 1);
}

TEST_CASE("a picture within a larger buffer is read and written in its place, and nothing beside it") {
  const Image in = noise(71, 53, 3);
  Surrounded source(in.shape());
  copy(in, source.view());
  const std::vector<float> before = source.all;
  for (const Filter& f : test::every_filter(in)) {
    CAPTURE(f.text());
    CHECK(result_of(f, source.view()) == result_of(f, in));
  }
  some_of_each_family([&](const auto& filter) {
    CAPTURE(Filter(filter).text());
    Surrounded target(in.shape());
    filter(source.view(), target.view());
    CHECK(identical(target.view(), filter(in)));
    CHECK(target.touched() == 0);
  });
  CHECK(source.all == before);
}

TEST_CASE("alpha passes through every filter; gray with alpha is filtered like gray") {
  const Image color = noise(40, 33, 3),
              alpha = map_samples(noise(40, 33, 1, 5), [](float v) { return std::clamp(v, 0.0F, 1.0F); });
  std::vector<Image> parts = split(color);
  const Image gray = parts[0];
  parts.push_back(alpha);
  const Image in = join(parts), gray_alpha = join(std::vector<Image>{gray, alpha});
  int seen = 0;
  for (const Filter& f : test::every_filter(in)) {
    CAPTURE(f.text());
    const Result r = result_of(f, in);
    if (!r.refusal.empty() || r.image.shape() != in.shape()) continue;
    ++seen;
    CHECK(identical(r.image.view().channel(3), alpha));
    const Result g = result_of(f, gray_alpha);
    if (!g.refusal.empty() || g.image.shape() != gray_alpha.shape()) continue;
    CHECK(identical(g.image.view().channel(1), alpha));
    const Result alone = result_of(f, gray);
    if (alone.refusal.empty()) CHECK(deviation(g.image.view().channel(0), alone.image) < 1e-6);
  }
  CHECK(seen > 60);
}

TEST_CASE("a call that is refused leaves its result's buffer as it was") {
  const Image in = noise(20, 15);
  some_of_each_family([&](const auto& filter) {
    CAPTURE(Filter(filter).text());
    Surrounded target({21, 15, 1});
    CHECK_THROWS_AS(filter(in, target.view()), InvalidArgument);
    CHECK(target.view().at(4, 4) == Surrounded::kMark);
    CHECK(target.touched() == 0);
    Surrounded empty({0, 0, 1});
    CHECK_THROWS_AS(filter(ConstView{}, empty.view()), InvalidArgument);
  });
  // Into the picture itself: an input is never changed.
  Image own = in;
  CHECK_THROWS_AS((Gaussian{.sigma = 2}(own, own.view())), InvalidArgument);
  CHECK(identical(own, in));
}

TEST_CASE("work that is stopped says so, leaves nothing behind, and can be done again") {
  const Image in = noise(120, 90, 3);
  for (const Filter& f : test::every_filter(in)) {
    CAPTURE(f.text());
    const Result expected = result_of(f, in);
    Watch watch;
    watch.stop();
    {
      const Watch::Active active(watch);
      CHECK_THROWS_AS(f(in), Canceled);
    }
    CHECK(result_of(f, in) == expected);
  }
}

TEST_CASE("another thread hears progress that never falls, and stops the work") {
  const Image in = noise(420, 400);
  for (const char* text :
       {"nonlocal_means noise=0.1", "median radius=20",
        "total_variation weight=0.5 tolerance=0.000001 iterations=100000", "diffusion edge=0.1 iterations=10000"}) {
    CAPTURE(std::string(text));
    const Chain chain = Chain::parse(text);
    Watch watch;
    std::atomic<double> most{0};
    std::atomic<bool> fell{false}, outside{false};
    watch.on_progress = [&](double share) {
      if (share < most) fell = true;
      if (share < 0 || share > 1) outside = true;
      most = share;
      if (share > 0) watch.stop();
    };
    bool stopped = false;
    std::thread other([&] {
      const Watch::Active active(watch);
      try {
        (void)chain(in);
      } catch (const Canceled&) {
        stopped = true;
      }
    });
    other.join();
    CHECK(stopped);
    CHECK_FALSE(fell);
    CHECK_FALSE(outside);
    CHECK(current_watch() == nullptr);
  }
}
