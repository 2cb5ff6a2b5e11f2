#include "sieve/sharpen/sharpen.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"
#include "spatial/correlation.hpp"

namespace sieve {

using namespace internal;

namespace {

template <class F>
Gaussian blur_of(const F& f) {
  return {.sigma = f.sigma, .border = f.border};
}

const Kernel& laplacian(const LaplacianSharpen& f) {
  static const Kernel &four = *new Kernel(Kernel::laplacian(4)), &eight = *new Kernel(Kernel::laplacian(8));
  return f.diagonals ? eight : four;
}

// The Laplacian kernels stand with a negative middle or a positive one; here the second derivative is wanted.
float turn(const Kernel& k) { return k.at(k.anchor_x(), k.anchor_y()) < 0 ? 1.0F : -1.0F; }

// The mask less the threshold, with its sign.
template <class T>
T beyond(T mask, T threshold) {
  if (threshold == 0) return mask;
  return std::abs(mask) <= threshold ? T(0) : mask - std::copysign(threshold, mask);
}

// out = combine(sample, what stands in out).
template <class Combine>
void combine_rows(const ConstView& in, const View& out, Combine combine) {
  parallel_rows(in.height() * in.shape.color_channels(), in.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const float* a = in.row(i % in.height(), i / in.height());
      float* r = out.row(i % in.height(), i / in.height());
      for (int x = 0; x < in.width(); ++x) r[x] = combine(a[x], r[x]);
    }
  });
}

template <class F>
bool blur_is_undivided(const F& f) {
  const Gaussian blur = blur_of(f);
  return !description_of<Gaussian>().part_margin(&blur);
}

template <class F>
std::vector<Stage> blur_and_mask(const F& f, const ConstView& in, float threshold) {
  Image blur = blur_of(f)(in);
  Image mask = map_pairs(in, blur, [threshold](float v, float b) { return beyond(v - b, threshold); });
  std::vector<Stage> stages;
  stages.push_back({"blur", std::move(blur)});
  stages.push_back({"mask", std::move(mask), StageContent::differences});
  return stages;
}

}  // namespace

Image Unsharp::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Unsharp::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  blur_of (*this)(in, out);
  if (threshold == 0) {
    combine_rows(in, out, [k = static_cast<float>(amount)](float v, float b) { return v + k * (v - b); });
  } else {
    combine_rows(in, out, [k = static_cast<float>(amount), t = static_cast<float>(threshold)](float v, float b) {
      return v + k * beyond(v - b, t);
    });
  }
}
void Unsharp::describe(Description<Unsharp>& d) {
  d.called("unsharp", "sharpen",
           "Adds what a blur takes away: unsharp masking, and high boost with an amount above 1.");
  d.also({"sharpen", "high boost", "mask", "USM"});
  d.wrong(
      "the picture is noisy: the noise is sharpened, too; denoise first or give a threshold. Halos disturb: take "
      "bounded_unsharp.");
  d.reads_around();
  d.window([](const Unsharp& f) { return filter_reach(blur_of(f)); });
  d.undivided(blur_is_undivided<Unsharp>);
  d.meaning([](const Unsharp& f) {
    return f.amount < 1 ? "softened" : f.amount > 1 ? "high boost" : "unsharp masking";
  });
  d.stages([](const Unsharp& f, const ConstView& in) { return blur_and_mask(f, in, f.threshold); });
  d.field("sigma", &Unsharp::sigma, "pixels", "of the blur", {0.1, 500});
  d.field("amount", &Unsharp::amount, "", "below 1 softer, 1 unsharp masking, above 1 high boost", {0, 100});
  d.field("threshold", &Unsharp::threshold, "0..1 scale", "smaller differences stay as they are", {0, 1});
  d.border(&Unsharp::border, nullptr, picture_borders());
}

Image LaplacianSharpen::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void LaplacianSharpen::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Kernel& kernel = laplacian(*this);
  correlate("laplacian_sharpen", Taps(kernel, false), border, 0, 1, ConvolutionMethod::automatic, in, out);
  combine_rows(in, out, [k = amount * turn(kernel)](float v, float l) { return v - k * l; });
}
static std::vector<Stage> stages_of_laplacian_sharpen(const LaplacianSharpen& f, const ConstView& in) {
  const Correlate filter{.kernel = laplacian(f), .border = f.border};
  std::vector<Stage> stages;
  stages.push_back({"Laplacian", map_samples(filter(in), [k = turn(filter.kernel)](float v) { return k * v; }),
                    StageContent::differences});
  return stages;
}
void LaplacianSharpen::describe(Description<LaplacianSharpen>& d) {
  d.called("laplacian_sharpen", "sharpen", "Takes the second derivative off: sharpens the finest detail.");
  d.also({"sharpen", "second derivative"});
  d.wrong("the blur is wider than a pixel or two: it is out of its reach; take unsharp with that sigma.");
  d.reads_around();
  d.window([](const LaplacianSharpen&) { return 1; });
  d.stages(stages_of_laplacian_sharpen);
  d.field("amount", &LaplacianSharpen::amount, "", "how much", {0, 100});
  d.field("diagonals", &LaplacianSharpen::diagonals, "", "eight neighbors instead of four");
  d.border(&LaplacianSharpen::border, nullptr, picture_borders());
}

Image BoundedUnsharp::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void BoundedUnsharp::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Image low = Minimum{.radius = radius, .border = border}(in),
              high = Maximum{.radius = radius, .border = border}(in);
  blur_of (*this)(in, out);
  parallel_rows(in.height() * in.shape.color_channels(), in.width(), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % in.height(), c = i / in.height();
      const float *a = in.row(y, c), *least = low.row(y, c), *most = high.row(y, c);
      float* to = out.row(y, c);
      for (int x = 0; x < in.width(); ++x) {
        const float v = a[x] + amount * (a[x] - to[x]);
        to[x] = v < least[x] ? least[x] : v > most[x] ? most[x] : v;
      }
    }
  });
}
void BoundedUnsharp::describe(Description<BoundedUnsharp>& d) {
  d.called("bounded_unsharp", "sharpen",
           "Unsharp masking that stays within the neighbors' levels: steeper edges without halos.");
  d.also({"sharpen", "halo", "limited", "overshoot"});
  d.wrong("fine texture is to come up: single dots and lines cannot rise above their neighbors; take unsharp.");
  d.window([](const BoundedUnsharp& f) { return std::max(whole(f.radius), filter_reach(blur_of(f))); });
  d.undivided(blur_is_undivided<BoundedUnsharp>);
  d.meaning([](const BoundedUnsharp& f) { return fmt::format("held within the window {0}x{0}", 2 * f.radius + 1); });
  d.stages([](const BoundedUnsharp& f, const ConstView& in) { return blur_and_mask(f, in, 0); });
  d.field("sigma", &BoundedUnsharp::sigma, "pixels", "of the blur", {0.1, 500});
  d.field("amount", &BoundedUnsharp::amount, "", "how much", {0, 100});
  d.whole("radius", &BoundedUnsharp::radius, "pixels", "half-width of the window that limits", {1, 100});
  d.border(&BoundedUnsharp::border, nullptr, picture_borders());
}

}  // namespace sieve
