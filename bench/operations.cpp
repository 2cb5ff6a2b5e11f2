#include "operations.hpp"

#include <cmath>
#include <map>
#include <memory>

#include "measure.hpp"
#include "nested_loops.hpp"
#include "scene.hpp"
#include "sieve/filter.hpp"
#include "sieve/pack.hpp"

namespace sieve::bench {

namespace {

using Goal = Operation::Goal;

// A view with grain, not noise alone: iterative filters need as many iterations as they do in practice.
const Image& grainy() {
  static const Image image = GaussianNoise{.deviation = 0.1F}(
      Gaussian{.sigma = 12}(map_samples(large(), [](float v) { return 6 * v - 2.5F; })));
  return image;
}

const Image& square() {
  static const Image image = noise(2048, 2048);
  return image;
}

const Image& soft_square() {
  static const Image image = Blur{.psf = Kernel::gaussian(1.5)}(noise(1024, 1024));
  return image;
}

// As a user's call does; what is no filter is called.
template <class F>
void through_engine(const F& filter, const Image& in, Image& out) {
  if constexpr (requires(Description<F> & d) { F::describe(d); }) {
    Engine::standard().run(filter, in, {.out = out});
  } else {
    filter(in, out.view());
  }
}

// A filter that writes into a buffer of its own.
template <class F>
std::function<std::function<void()>()> filtered(const Image& (*picture)(), F filter) {
  return [=] {
    const Image& in = picture();
    auto out = std::make_shared<Image>(in.shape());
    return [&in, out, filter] { through_engine(filter, in, *out); };
  };
}

Kernel rough(int side) {
  std::vector<double> taps;
  for (int i = 0; i < side * side; ++i) taps.push_back(0.01 + 0.001 * (i * 37 % 23));
  return Kernel(side, side, taps);
}

// The time of 20 iterations less that of 10 is that of 10.
template <class F>
std::function<std::function<void()>()> iterated(F filter) {
  filter.iterations = 10;
  return filtered(soft_square, filter);
}

// Five levels, into bands that stay.
struct NineSeven {
  std::shared_ptr<WaveletBands> bands = std::make_shared<WaveletBands>();
  void operator()(const ConstView& in, const View&) const {
    wavelet_forward(in, Wavelet::nine_seven, 5, false, *bands);
  }
};

void point_operations(std::vector<Operation>& all) {
  const auto add = [&](const char* name, double goal, auto filter) {
    all.push_back({name, By::copy, Goal::at_most, goal, filtered(large, filter)});
  };
  add("clip", 1.5, Clip{});
  add("stretch, range given", 1.5, Stretch{.low = 0.1F, .high = 0.9F});
  all.push_back({"histogram, 256 bins", By::copy, Goal::at_most, 2,
                 [] { return [] { (void)histogram(large(), {.channel = 0, .bins = 256}); }; }});
  add("equalize", 4, Equalize{});
  add("clahe", 8, Clahe{});
  add("match, to another picture", 5, Match{.with = SharedImage(map_samples(large(), [](float v) { return v * v; }))});
  all.push_back({"to_oklab, color", By::color_copy, Goal::at_most, 5, filtered(large_color, ToOklab{})});
  all.push_back({"ssim of two pictures", By::copy, Goal::at_most, 25, [] {
                   const Image &a = large(), &b = grainy();
                   return [&a, &b] { (void)ssim(a, b); };
                 }});
}

void spatial_operations(std::vector<Operation>& all) {
  const auto add = [&](const std::string& name, double goal, auto filter, bool slow = false) {
    all.push_back({name, By::copy, Goal::at_most, goal, filtered(large, filter), 8.2944, slow});
  };
  add("convolve, 3x3", 2, Convolve{.kernel = rough(3), .method = ConvolutionMethod::direct});
  add("convolve, 7x7", 5, Convolve{.kernel = rough(7), .method = ConvolutionMethod::direct});
  for (const float sigma : {2.0F, 20.0F, 100.0F})
    add("gaussian, sigma " + std::to_string(static_cast<int>(sigma)), sigma < 4 ? 3 : 6, Gaussian{.sigma = sigma});
  for (const int radius : {10, 1000}) add("box, radius " + std::to_string(radius), 3, Box{.radius = radius});
  for (const int radius : {10, 1000}) add("opening, radius " + std::to_string(radius), 8, Opening{.radius = radius});
  add("median, 3x3", 2.5, Median{.radius = 1});
  add("median, 5x5", 6, Median{.radius = 2});
  add("median, 7x7", 12, Median{.radius = 3});
  add("median, radius 10", 150, Median{.radius = 10});
  add("median, radius 25", 150, Median{.radius = 25});
}

void denoisers(std::vector<Operation>& all) {
  const auto add = [&](const char* name, double goal, auto filter) {
    all.push_back({name, By::copy, Goal::at_most, goal, filtered(grainy, filter)});
  };
  add("unsharp", 0, Unsharp{});
  add("guided", 12, Guided{.strength = 0.2F});
  add("bilateral, exact, sigma 2", 0, Bilateral{.range = 0.2F});
  add("bilateral, fast, sigma 6", 40, Bilateral{.sigma = 6, .range = 0.2F});
  add("total_variation, to 0.1 %", 150, TotalVariation{.weight = 0.1F});
  add("nonlocal_means, 7x7 in 21x21", 250, NonlocalMeans{.strength = 0.5F, .noise = 0.1F});
  add("block_matching, fast", 200, BlockMatching{.noise = 0.1F, .effort = BlockEffort::fast});
  add("block_matching", 600, BlockMatching{.noise = 0.1F});
  add("block_matching, singular, fast", 0,
      BlockMatching{.noise = 0.1F, .by = BlockTransform::singular, .effort = BlockEffort::fast});
}

void transforms(std::vector<Operation>& all) {
  all.push_back({"low_pass, mirrored, 2048x2048", By::fft_2048, Goal::at_most, 1.3, filtered(square, LowPass{})});
  all.push_back({"low_pass, wrapped, 2048x2048", By::fft_2048, Goal::at_most, 1.3,
                 filtered(square, LowPass{.border = Border::wrap})});
  all.push_back({"cosine, whole 2048x2048", By::fft_2048_there, Goal::at_most, 1.5,
                 filtered(square, [](const ConstView& in, const View& out) { cosine_forward(in, 0, out); })});
  all.push_back({"cosine, 8x8 blocks", By::copy, Goal::at_most, 4,
                 filtered(large, [](const ConstView& in, const View& out) { cosine_forward(in, 8, out); })});
  all.push_back({"wavelet 9/7, five levels", By::copy, Goal::at_most, 6, filtered(large, NineSeven{})});
  all.push_back({"singular values, rank 100 of 2048x2048, randomized", By::exact_svd, Goal::faster, 10,
                 [] {
                   auto soft = std::make_shared<Image>(Gaussian{.sigma = 3}(square()));
                   return [soft] { (void)svd(*soft, 100, SvdMethod::randomized); };
                 },
                 4.194304, true, std::pow(2048.0 / 400, 3)});  // exact ones take time as the cube of the side
}

void restorers(std::vector<Operation>& all) {
  const Kernel soft = Kernel::gaussian(2), motion = Kernel::motion(15, 25);
  const auto add = [&](const char* name, By against, double goal, auto filter) {
    all.push_back({name, against, Goal::at_most, goal, filtered(soft_square, filter)});
  };
  add("inverse, gaussian, mirrored", By::fft_2048, 2, Inverse{.psf = Kernel::gaussian(0.7)});
  add("pseudo_inverse, gaussian, mirrored", By::fft_2048, 2, PseudoInverse{.psf = soft});
  add("wiener, gaussian, mirrored", By::fft_2048, 2, Wiener{.psf = soft, .border = Border::mirror});
  add("constrained_least_squares, gaussian, mirrored", By::fft_2048, 2,
      ConstrainedLeastSquares{.psf = soft, .border = Border::mirror});
  add("wiener, motion, mirrored", By::fft_2048, 2, Wiener{.psf = motion, .ratio = 0.01F, .border = Border::mirror});
  add("wiener, motion, tapered", By::fft_1024, 2, Wiener{.psf = motion, .ratio = 0.01F, .border = Border::taper});
  all.push_back({"richardson_lucy, motion, mirrored, 10 iterations", By::fft_2048, Goal::at_most, 25,
                 iterated(RichardsonLucy{.psf = motion, .smoothness = 0.0F, .noise = 0.0F, .border = Border::mirror})});
  all.push_back({"richardson_lucy, motion, tapered, 10 iterations", By::fft_1024, Goal::at_most, 25,
                 iterated(RichardsonLucy{.psf = motion, .smoothness = 0.0F, .noise = 0.0F, .border = Border::taper})});
}

void packers(std::vector<Operation>& all) {
  struct Wanted {
    const char* name;
    PackBy by;
    double rate, pack, unpack;
  };
  for (const Wanted& w : {Wanted{"cosine, 0.25 bits a pixel", PackBy::cosine, 0.25, 60, 80},
                          {"cosine, 1 bit a pixel", PackBy::cosine, 1, 60, 80},
                          {"wavelet, 0.25 bits a pixel", PackBy::wavelet, 0.25, 20, 25},
                          {"wavelet, 1 bit a pixel", PackBy::wavelet, 1, 20, 25}}) {
    // Found once for both directions: a search for a rate packs many times.
    const auto packed = [w] {
      static std::map<std::pair<PackBy, double>, Packed> all_packed;
      auto& p = all_packed[{w.by, w.rate}];
      if (p.bytes.empty()) p = pack(scene(), {.by = w.by, .rate = w.rate});
      return p;
    };
    const bool slow = w.rate == 1;
    all.push_back({std::string("pack, ") + w.name, By::jpeg, Goal::at_least, w.pack,
                   [w, packed] {
                     // The quality that gives the same step.
                     const double quality =
                         100 - 100 * std::sqrt(std::max(0.0, (static_cast<double>(packed().step) * 255 - 0.5) / 255));
                     return [w, quality] { (void)pack(scene(), {.by = w.by, .quality = quality}); };
                   },
                   8.2944, slow});
    all.push_back({std::string("unpack, ") + w.name, By::jpeg_back, Goal::at_least, w.unpack,
                   [packed] {
                     auto bytes = std::make_shared<std::vector<std::uint8_t>>(packed().bytes);
                     return [bytes] { (void)unpack(*bytes); };
                   },
                   8.2944, slow});
  }
}

}  // namespace

std::vector<Operation> operations() {
  std::vector<Operation> all;
  point_operations(all);
  spatial_operations(all);
  denoisers(all);
  transforms(all);
  restorers(all);
  packers(all);
  return all;
}

std::vector<Growing> growing() {
  const auto of = [](auto filter) {
    return [filter](const Image& in) -> std::function<void()> {
      auto out = std::make_shared<Image>(in.shape());
      return [&in, out, filter] { through_engine(filter, in, *out); };
    };
  };
  return {{"copy", of([](const ConstView& in, const View& out) { copy(in, out); }), true},
          {"stretch, range given", of(Stretch{.low = 0.1F, .high = 0.9F}), true},
          {"convolve, 7x7", of(Convolve{.kernel = rough(7), .method = ConvolutionMethod::direct})},
          {"gaussian, sigma 20", of(Gaussian{.sigma = 20})},
          {"box, radius 10", of(Box{.radius = 10})},
          {"median, 7x7", of(Median{.radius = 3})},
          {"guided", of(Guided{.strength = 0.2F})},
          {"bilateral, exact, sigma 2", of(Bilateral{.range = 0.2F})},
          {"equalize", of(Equalize{}), true},
          {"clahe", of(Clahe{})},
          {"low_pass, mirrored", of(LowPass{})},
          {"wavelet 9/7, five levels", of(NineSeven{})}};
}

std::vector<Pair> against_loops(int width, int height) {
  const auto plain = std::make_shared<Samples>(), to = std::make_shared<Samples>();
  const auto in = std::make_shared<Image>(noise(width, height));
  plain->width = to->width = width;
  plain->height = to->height = height;
  for (int y = 0; y < height; ++y) plain->at.insert(plain->at.end(), in->row(y), in->row(y) + width);
  to->at.resize(plain->at.size());
  const auto out = std::make_shared<Image>(in->shape());
  std::vector<float> taps;
  const Kernel kernel = rough(7);
  for (int j = 0; j < 7; ++j) {
    for (int i = 0; i < 7; ++i) taps.push_back(static_cast<float>(kernel.at(i, j)));
  }
  return {{"convolve, 7x7", [=] { convolve_by_loops(*plain, taps, 7, *to); },
           [=, f = Convolve{.kernel = kernel, .method = ConvolutionMethod::direct}] { f(*in, out->view()); }},
          {"median, 7x7", [=] { median_by_loops(*plain, 3, *to); }, [=] { Median{.radius = 3}(*in, out->view()); }},
          {"equalize", [=] { equalize_by_loops(*plain, *to); }, [=] { Equalize{}(*in, out->view()); }}};
}

}  // namespace sieve::bench
