#include "sieve/sharpen/sharpen.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/run.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/reference.hpp"
#include "sieve/spatial/convolve.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

namespace {

Gaussian blur_of(float sigma) { return {.sigma = sigma, .border = Border::mirror}; }

Correlate laplacian(bool diagonals) {
  return {.kernel = Kernel::parse(diagonals ? "laplacian8" : "laplacian"), .border = Border::mirror};
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
  parallel_rows(in.height() * in.shape.color_channels(), static_cast<std::size_t>(in.width()),
                [&](int first, int last) {
                  for (int i = first; i < last; ++i) {
                    const float* a = in.row(i % in.height(), i / in.height());
                    float* r = out.row(i % in.height(), i / in.height());
                    for (int x = 0; x < in.width(); ++x) r[x] = combine(a[x], r[x]);
                  }
                });
}

void tell_outside(const ConstView& out) {
  if (!notes_heard()) return;
  std::size_t below = 0, above = 0;
  for (int c = 0; const ChannelStatistics& s : statistics(out)) {
    if (c++ >= out.shape.color_channels()) break;
    below += s.below;
    above += s.above;
  }
  if (below + above > 0)
    note(fmt::format("{} samples below 0 and {} above 1: kept as they are; clip cuts them", below, above));
}

std::vector<Stage> blur_and_mask(const ConstView& in, float sigma, float threshold) {
  Image blur = blur_of(sigma)(in);
  Image mask = map_pairs(in, blur, [threshold](float v, float b) { return beyond(v - b, threshold); });
  std::vector<Stage> stages;
  stages.push_back({"blur", std::move(blur), false});
  stages.push_back({"mask", std::move(mask), true});
  return stages;
}

}  // namespace

Image Unsharp::operator()(const ConstView& in) const { return made(*this, in); }
void Unsharp::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  blur_of(sigma)(in, out);
  if (threshold == 0) {
    combine_rows(in, out, [k = amount](float v, float b) { return v + k * (v - b); });
  } else {
    combine_rows(in, out, [k = amount, t = threshold](float v, float b) { return v + k * beyond(v - b, t); });
  }
  tell_outside(out);
}
Image Unsharp::plain(const ConstView& in) const {
  const Image blur = reference::gaussian(in, sigma, Border::mirror, 0);
  return map_pairs(in, blur, [this](float v, float b) {
    return static_cast<float>(static_cast<double>(v) +
                              static_cast<double>(amount) * beyond(static_cast<double>(v) - static_cast<double>(b),
                                                                   static_cast<double>(threshold)));
  });
}
std::vector<Stage> Unsharp::stages(const ConstView& in) const { return blur_and_mask(in, sigma, threshold); }
int Unsharp::reach() const { return blur_of(sigma).reach(); }
std::string Unsharp::meaning() const { return amount < 1 ? "softened" : amount > 1 ? "high boost" : "unsharp masking"; }
void Unsharp::describe(Description<Unsharp>& d) {
  d.called("unsharp", "sharpen",
           "Adds what a blur takes away: unsharp masking, and high boost with an amount above 1.");
  d.wrong(
      "the picture is noisy: the noise is sharpened, too; denoise first or give a threshold. Halos disturb: take "
      "limited_sharpen.");
  d.agrees_within(1e-3);
  d.field("sigma", &Unsharp::sigma, "pixels", "of the blur", {0.1, 500});
  d.field("amount", &Unsharp::amount, "", "below 1 softer, 1 unsharp masking, above 1 high boost", {0, 100});
  d.field("threshold", &Unsharp::threshold, "0..1 scale", "smaller differences stay as they are", {0, 1});
}

Image LaplacianSharpen::operator()(const ConstView& in) const { return made(*this, in); }
void LaplacianSharpen::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const Correlate filter = laplacian(diagonals);
  filter(in, out);
  combine_rows(in, out, [k = amount * turn(filter.kernel)](float v, float l) { return v - k * l; });
  tell_outside(out);
}
Image LaplacianSharpen::plain(const ConstView& in) const {
  const Correlate filter = laplacian(diagonals);
  const Image l = reference::correlate(in, filter.kernel, Border::mirror, 0, 1);
  return map_pairs(in, l, [k = amount * turn(filter.kernel)](float v, float p) { return v - k * p; });
}
std::vector<Stage> LaplacianSharpen::stages(const ConstView& in) const {
  const Correlate filter = laplacian(diagonals);
  std::vector<Stage> stages;
  stages.push_back({"Laplacian", map_samples(filter(in), [k = turn(filter.kernel)](float v) { return k * v; }), true});
  return stages;
}
void LaplacianSharpen::describe(Description<LaplacianSharpen>& d) {
  d.called("laplacian_sharpen", "sharpen", "Takes the second derivative off: sharpens the finest detail.");
  d.wrong("the blur is wider than a pixel or two: it is out of its reach; take unsharp with that sigma.")
      .agrees_within(1e-5);
  d.field("amount", &LaplacianSharpen::amount, "", "how much", {0, 100});
  d.field("diagonals", &LaplacianSharpen::diagonals, "", "eight neighbors instead of four");
}

Image LimitedSharpen::operator()(const ConstView& in) const { return made(*this, in); }
void LimitedSharpen::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const auto r = static_cast<float>(radius);
  const Image low = Minimum{.radius = r, .border = Border::mirror}(in),
              high = Maximum{.radius = r, .border = Border::mirror}(in);
  blur_of(sigma)(in, out);
  parallel_rows(in.height() * in.shape.color_channels(), static_cast<std::size_t>(in.width()),
                [&](int first, int last) {
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
Image LimitedSharpen::plain(const ConstView& in) const {
  const auto r = static_cast<float>(radius);
  const Image low = Minimum{.radius = r, .border = Border::mirror}.plain(in),
              high = Maximum{.radius = r, .border = Border::mirror}.plain(in);
  const Image sharp = Unsharp{.sigma = sigma, .amount = amount}.plain(in);
  return map_pairs(map_pairs(sharp, low, [](float v, float l) { return v < l ? l : v; }), high,
                   [](float v, float h) { return v > h ? h : v; });
}
std::vector<Stage> LimitedSharpen::stages(const ConstView& in) const { return blur_and_mask(in, sigma, 0); }
int LimitedSharpen::reach() const { return std::max(radius, blur_of(sigma).reach()); }
std::string LimitedSharpen::meaning() const { return fmt::format("held within the window {0}x{0}", 2 * radius + 1); }
void LimitedSharpen::describe(Description<LimitedSharpen>& d) {
  d.called("limited_sharpen", "sharpen",
           "Unsharp masking that stays within the neighbors' levels: steeper edges without halos.");
  d.wrong("fine texture is to come up: single dots and lines cannot rise above their neighbors; take unsharp.")
      .agrees_within(1e-3);
  d.field("sigma", &LimitedSharpen::sigma, "pixels", "of the blur", {0.1, 500});
  d.field("amount", &LimitedSharpen::amount, "", "how much", {0, 100});
  d.field("radius", &LimitedSharpen::radius, "pixels", "half-width of the window that limits", {1, 100});
}

}  // namespace sieve
