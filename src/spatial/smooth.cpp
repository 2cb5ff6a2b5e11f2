#include "sieve/spatial/smooth.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <memory>
#include <vector>

#include "fft/fft.hpp"
#include "run/validate.hpp"
#include "spatial/box_sums.hpp"
#include "spatial/correlation.hpp"
#include "spatial/mean_rows.hpp"
#include "spatial/stacked_gaussian.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr float kDirectUpTo = 5;

SeparablePasses gaussian_passes(double sigma) {
  const int radius = std::max(1, static_cast<int>(std::ceil(4 * sigma)));
  const auto weights = gaussian_weights(sigma, 0, radius);
  return {weights, weights, radius, radius};
}

std::vector<Border> smoothing_borders() {
  std::vector<Border> all = window_borders();
  all.push_back(Border::inside);
  return all;
}

// The shape of the result: of where the whole window fits, with border=inside.
template <class F>
Shape smaller(const F& f, const Shape& in) {
  if (f.border != Border::inside) return in;
  const Rectangle r = inside_part(in, filter_reach(f), description_of<F>().name.c_str());
  return {r.width, r.height, in.channels};
}

// Channel by channel, with alpha taken where the results are.
template <class F, class Work>
void each_channel_cut(const F& f, const ConstView& in, const View& out, Work work) {
  validate(f, in, out);
  for (int c = 0; c < in.shape.color_channels(); ++c) work(in.channel(c), out.channel(c));
  if (f.border == Border::inside) {
    copy_alpha(in.part(inside_part(in.shape, filter_reach(f), "alpha")), out);
  } else {
    copy_alpha(in, out);
  }
}

// Computes everywhere, then keeps the part where the whole window lay inside.
template <class Work>
void cut_inside(const ConstView& in, const View& out, int reach, Work work) {
  Image whole(in.shape);
  work(in, whole.view(), Border::edge);
  copy(whole.view().part({reach, reach, out.width(), out.height()}), out);
}

}  // namespace

Image Gaussian::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void Gaussian::operator()(const ConstView& in, const View& out) const {
  each_channel_cut(*this, in, out, [&](const ConstView& from, const View& to) {
    if (sigma == 0) {
      copy(from, to);
    } else if (sigma < kDirectUpTo) {
      correlate_separable(from, gaussian_passes(sigma), border, fill, 1, to);
    } else if (border == Border::inside) {
      cut_inside(from, to, filter_reach(*this),
                 [&](const ConstView& a, const View& b, Border edge) { stacked_gaussian(a, sigma, edge, 0, b); });
    } else {
      stacked_gaussian(from, sigma, border, fill_of(*this), to);
    }
  });
}

void Gaussian::describe(Description<Gaussian>& d) {
  d.called("gaussian", "spatial", "Gaussian blur: smooths noise and detail alike, without a preferred direction.");
  d.also({"blur", "smooth", "low pass"});
  d.wrong(
      "impulses (salt and pepper): they are smeared, not removed; edges must stay sharp: take an edge-preserving "
      "filter.");
  d.window([](const Gaussian& f) {
    return f.sigma == 0            ? 0
           : f.sigma < kDirectUpTo ? std::max(1, static_cast<int>(std::ceil(4 * f.sigma)))
                                   : stacked_reach(f.sigma);
  });
  d.shape(smaller<Gaussian>);
  d.meaning([](const Gaussian& f) {
    return f.sigma < kDirectUpTo ? fmt::format("window {0}x{0}", 2 * filter_reach(f) + 1)
                                 : fmt::format("reaches {} pixels", filter_reach(f));
  });
  d.reads_around();
  // The coarse grid of a large sigma lies otherwise in a strip.
  d.undivided([](const Gaussian& f) { return f.sigma >= kDirectUpTo; });
  d.field("sigma", &Gaussian::sigma, "pixels", "standard deviation; 0 leaves the picture as it is", {0, 500});
  d.border(&Gaussian::border, &Gaussian::fill, smoothing_borders());
}

Image Box::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }

void Box::operator()(const ConstView& in, const View& out) const {
  each_channel_cut(*this, in, out, [&](const ConstView& from, const View& to) {
    if (border == Border::inside) {
      cut_inside(from, to, whole(radius),
                 [&](const ConstView& a, const View& b, Border edge) { box_mean(a, whole(radius), edge, 0, b); });
    } else {
      box_mean(from, whole(radius), border, fill_of(*this), to);
    }
  });
}

void Box::describe(Description<Box>& d) {
  d.called("box", "spatial", "Mean of a square window: the fastest smoothing, at the same cost for every radius.");
  d.also({"mean", "average", "moving average", "blur", "smooth"});
  d.wrong(
      "fine stripes and dots must not turn over (a box inverts some of them): take gaussian; impulses: take a rank "
      "filter.");
  d.window([](const Box& f) { return whole(f.radius); });
  d.reads_around();
  d.undivided([](const Box& f) { return f.radius > kSteadyMeanRadius; });
  d.shape(smaller<Box>);
  d.meaning([](const Box& f) { return fmt::format("window {0}x{0}", 2 * f.radius + 1); });
  d.whole("radius", &Box::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {0, 2047});
  d.border(&Box::border, &Box::fill, smoothing_borders());
}

namespace {

Scratch<float> binomial_weights(int radius) {
  Scratch<double> row{1};
  for (int i = 0; i < 2 * radius; ++i) {
    row.push_back(0);
    for (std::size_t k = row.size() - 1; k > 0; --k) row[k] = 0.5 * (row[k] + row[k - 1]);
    row[0] *= 0.5;
  }
  return {row.begin(), row.end()};
}

}  // namespace

Image Binomial::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Binomial::operator()(const ConstView& in, const View& out) const {
  const int r = whole(radius);
  const Scratch<float> weights = binomial_weights(r);
  each_channel_cut(*this, in, out, [&](const ConstView& from, const View& to) {
    correlate_separable(from, {weights, weights, r, r}, border, fill, 1, to);
  });
}
void Binomial::describe(Description<Binomial>& d) {
  d.called("binomial", "spatial",
           "Smoothing by Pascal's triangle: short, close to a Gaussian, 0 at the highest frequency.");
  d.also({"Pascal", "smooth"});
  d.wrong("impulses (take a rank filter); sigmas of more than a few pixels: gaussian is faster there.");
  d.window([](const Binomial& f) { return whole(f.radius); });
  d.reads_around();
  d.shape(smaller<Binomial>);
  d.meaning([](const Binomial& f) {
    return fmt::format("window {0}x{0}, like a Gaussian of sigma {1:.2f}", 2 * f.radius + 1, std::sqrt(f.radius / 2.0));
  });
  d.whole("radius", &Binomial::radius, "pixels", "half-width: 1 means 1 2 1, 2 means 1 4 6 4 1", {0, 100});
  d.border(&Binomial::border, &Binomial::fill, smoothing_borders());
}

static std::shared_ptr<const Kernel> kernel_of(const DiskMean& f) {
  return memoize<Kernel>(f.radius,
                         [&] { return std::make_shared<Kernel>(Kernel::disk(static_cast<double>(f.radius))); });
}
Image DiskMean::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void DiskMean::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  correlate("disk_mean", Taps(*kernel_of(*this), false), border, fill, 1, ConvolutionMethod::automatic, in, out);
}
static std::string meaning_of_disk_mean(const DiskMean& f) {
  const Kernel& k = *kernel_of(f);
  return fmt::format("{} pixels in a window {}x{}",
                     std::count_if(k.taps().begin(), k.taps().end(), [](double t) { return t != 0; }), k.width(),
                     k.height());
}
void DiskMean::describe(Description<DiskMean>& d) {
  d.called("disk_mean", "spatial", "Mean over a disk: smooths alike in all directions, like a lens out of focus.");
  d.also({"circle", "defocus", "pillbox", "smooth"});
  d.wrong(
      "fine stripes and dots must not turn over (a disk inverts some of them): take gaussian; impulses: take a rank "
      "filter.");
  d.window([](const DiskMean& f) { return static_cast<int>(f.radius); });
  d.reads_around();
  d.undivided([](const DiskMean& f) {
    const Correlate c{.kernel = *kernel_of(f), .border = f.border};
    return !description_of<Correlate>().part_margin(&c);
  });
  d.shape(smaller<DiskMean>);
  d.meaning(meaning_of_disk_mean);
  d.field("radius", &DiskMean::radius, "pixels", "all pixels with dx^2 + dy^2 <= radius^2", {0, 500});
  d.border(&DiskMean::border, &DiskMean::fill, smoothing_borders());
}

}  // namespace sieve
