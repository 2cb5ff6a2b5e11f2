#include "sieve/spatial/smooth.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <vector>

#include "core/run.hpp"
#include "sieve/reference.hpp"
#include "spatial/box_sums.hpp"
#include "spatial/correlation.hpp"
#include "spatial/stacked_gaussian.hpp"

namespace sieve {

namespace {

constexpr float kDirectUpTo = 5;

SeparablePasses gaussian_passes(double sigma) {
  const int radius = std::max(1, static_cast<int>(std::ceil(4 * sigma)));
  const auto weights = gaussian_weights(sigma, 0, radius);
  return {weights, weights, radius, radius};
}

template <class F>
Shape smaller(const F& f, const Shape& in) {
  if (f.border != Border::inside) return in;
  const Rectangle r = inside_part(in, f.reach(), description_of<F>().name.c_str());
  return {r.width, r.height, in.channels};
}

// Channel by channel, with alpha taken where the results are.
template <class F, class Work>
void each_channel(const F& f, const ConstView& in, const View& out, Work work) {
  ready(f, in, out);
  for (int c = 0; c < in.shape.color_channels(); ++c) work(in.channel(c), out.channel(c));
  if (f.border == Border::inside) {
    copy_alpha(in.part(inside_part(in.shape, f.reach(), "alpha")), out);
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

Image Gaussian::operator()(const ConstView& in) const { return made(*this, in); }

void Gaussian::operator()(const ConstView& in, const View& out) const {
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    if (sigma == 0) {
      copy(from, to);
    } else if (sigma < kDirectUpTo) {
      correlate_separable(from, gaussian_passes(sigma), border, fill, 1, to);
    } else if (border == Border::inside) {
      cut_inside(from, to, reach(),
                 [&](const ConstView& a, const View& b, Border edge) { stacked_gaussian(a, sigma, edge, 0, b); });
    } else {
      stacked_gaussian(from, sigma, border, border == Border::constant ? fill : 0, to);
    }
  });
}

Image Gaussian::plain(const ConstView& in) const {
  if (border != Border::inside) return reference::gaussian(in, sigma, border, fill);
  return Image(
      reference::gaussian(in, sigma, Border::edge, fill).view().part(inside_part(in.shape, reach(), "gaussian")));
}

Shape Gaussian::shape(const Shape& in) const { return smaller(*this, in); }
int Gaussian::reach() const {
  return sigma == 0            ? 0
         : sigma < kDirectUpTo ? std::max(1, static_cast<int>(std::ceil(4 * sigma)))
                               : stacked_reach(sigma);
}
std::string Gaussian::meaning() const {
  return sigma < kDirectUpTo ? fmt::format("window {0}x{0}", 2 * reach() + 1)
                             : fmt::format("reaches {} pixels", reach());
}
void Gaussian::describe(Description<Gaussian>& d) {
  d.called("gaussian", "spatial", "Gaussian blur: smooths noise and detail alike, without a preferred direction.");
  d.wrong(
      "impulses (salt and pepper): they are smeared, not removed; edges must stay sharp: take an edge-preserving "
      "filter.");
  d.agrees_within(2e-4);
  d.field("sigma", &Gaussian::sigma, "pixels", "standard deviation; 0 leaves the picture as it is", {0, 500});
  d.field("border", &Gaussian::border, "", "what lies beyond the picture");
  d.field("fill", &Gaussian::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

Image Box::operator()(const ConstView& in) const { return made(*this, in); }

void Box::operator()(const ConstView& in, const View& out) const {
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    if (border == Border::inside) {
      cut_inside(from, to, radius,
                 [&](const ConstView& a, const View& b, Border edge) { box_mean(a, radius, edge, 0, b); });
    } else {
      box_mean(from, radius, border, border == Border::constant ? fill : 0, to);
    }
  });
}

Image Box::plain(const ConstView& in) const {
  if (border != Border::inside) return reference::box(in, radius, border, fill);
  return Image(reference::box(in, radius, Border::edge, fill).view().part(inside_part(in.shape, radius, "box")));
}

Shape Box::shape(const Shape& in) const { return smaller(*this, in); }
std::string Box::meaning() const { return fmt::format("window {0}x{0}", 2 * radius + 1); }
void Box::describe(Description<Box>& d) {
  d.called("box", "spatial", "Mean of a square window: the fastest smoothing, at the same cost for every radius.");
  d.wrong(
      "fine stripes and dots must not turn over (a box inverts some of them): take gaussian; impulses: take a rank "
      "filter.");
  d.agrees_within(1e-5);
  d.field("radius", &Box::radius, "pixels", "half-width: the window has 2 radius + 1 pixels a side", {0, 2047});
  d.field("border", &Box::border, "", "what lies beyond the picture");
  d.field("fill", &Box::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

namespace {

std::vector<double> binomial_weights(int radius) {
  std::vector<double> row{1};
  for (int i = 0; i < 2 * radius; ++i) {
    row.push_back(0);
    for (std::size_t k = row.size() - 1; k > 0; --k) row[k] = 0.5 * (row[k] + row[k - 1]);
    row[0] *= 0.5;
  }
  return row;
}

Kernel binomial_kernel(int radius) {
  const std::vector<double> row = binomial_weights(radius);
  std::vector<double> taps;
  for (const double a : row) {
    for (const double b : row) taps.push_back(a * b);
  }
  return Kernel(2 * radius + 1, 2 * radius + 1, std::move(taps));
}

}  // namespace

Image Binomial::operator()(const ConstView& in) const { return made(*this, in); }
void Binomial::operator()(const ConstView& in, const View& out) const {
  const std::vector<double> row = binomial_weights(radius);
  const std::vector<float> weights(row.begin(), row.end());
  each_channel(*this, in, out, [&](const ConstView& from, const View& to) {
    correlate_separable(from, {weights, weights, radius, radius}, border, fill, 1, to);
  });
}
Image Binomial::plain(const ConstView& in) const {
  return reference::correlate(in, binomial_kernel(radius), border, fill, 1);
}
Shape Binomial::shape(const Shape& in) const { return smaller(*this, in); }
std::string Binomial::meaning() const {
  return fmt::format("window {0}x{0}, like a Gaussian of sigma {1:.2f}", 2 * radius + 1, std::sqrt(radius / 2.0));
}
void Binomial::describe(Description<Binomial>& d) {
  d.called("binomial", "spatial",
           "Smoothing by Pascal's triangle: short, close to a Gaussian, 0 at the highest frequency.");
  d.wrong("impulses (take a rank filter); sigmas of more than a few pixels: gaussian is faster there.");
  d.agrees_within(1e-5);
  d.field("radius", &Binomial::radius, "pixels", "half-width: 1 means 1 2 1, 2 means 1 4 6 4 1", {0, 100});
  d.field("border", &Binomial::border, "", "what lies beyond the picture");
  d.field("fill", &Binomial::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

Image DiskMean::operator()(const ConstView& in) const { return made(*this, in); }
void DiskMean::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  Correlate{.kernel = Kernel::disk(static_cast<double>(radius)), .border = border, .fill = fill}(in, out);
}
Image DiskMean::plain(const ConstView& in) const {
  return reference::correlate(in, Kernel::disk(static_cast<double>(radius)), border, fill, 1);
}
Shape DiskMean::shape(const Shape& in) const { return smaller(*this, in); }
std::string DiskMean::meaning() const {
  const Kernel k = Kernel::disk(static_cast<double>(radius));
  return fmt::format("{} pixels in a window {}x{}",
                     std::count_if(k.taps().begin(), k.taps().end(), [](double t) { return t != 0; }), k.width(),
                     k.height());
}
void DiskMean::describe(Description<DiskMean>& d) {
  d.called("disk_mean", "spatial", "Mean over a disk: smooths alike in all directions, like a lens out of focus.");
  d.wrong(
      "fine stripes and dots must not turn over (a disk inverts some of them): take gaussian; impulses: take a rank "
      "filter.");
  d.agrees_within(2e-5);
  d.field("radius", &DiskMean::radius, "pixels", "all pixels with dx^2 + dy^2 <= radius^2", {0, 500});
  d.field("border", &DiskMean::border, "", "what lies beyond the picture");
  d.field("fill", &DiskMean::fill, "0..1 scale", "the sample beyond the picture with border=constant");
}

}  // namespace sieve
