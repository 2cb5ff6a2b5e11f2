#include "sieve/light/background.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/run.hpp"
#include "light/finite_light.hpp"
#include "light/surface.hpp"
#include "light/tell_flatness.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/reference.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

std::span<const std::pair<const char*, BackgroundBy>> ChoiceNames<BackgroundBy>::all() {
  static constexpr std::pair<const char*, BackgroundBy> names[] = {{"gaussian", BackgroundBy::gaussian},
                                                                   {"opening", BackgroundBy::opening},
                                                                   {"polynomial", BackgroundBy::polynomial}};
  return names;
}
std::span<const std::pair<const char*, Objects>> ChoiceNames<Objects>::all() {
  static constexpr std::pair<const char*, Objects> names[] = {{"bright", Objects::bright}, {"dark", Objects::dark}};
  return names;
}
std::span<const std::pair<const char*, TakeOut>> ChoiceNames<TakeOut>::all() {
  static constexpr std::pair<const char*, TakeOut> names[] = {{"divide", TakeOut::divide},
                                                              {"subtract", TakeOut::subtract}};
  return names;
}

namespace {

// The steps that an opening leaves are smoothed by a Gaussian of half its radius.
float after_opening(int radius) { return 0.5F * static_cast<float>(radius); }

template <class F>
void background_fields(Description<F>& d) {
  d.field("by", &F::by, "", "how the background is guessed");
  d.field("sigma", &F::sigma, "pixels", "of the Gaussian with by=gaussian", {1, 500});
  d.field("radius", &F::radius, "pixels", "half-width with by=opening: wider than the objects", {1, 2047});
  d.field("degree", &F::degree, "", "of the surface with by=polynomial", {1, 4});
  d.field("objects", &F::objects, "", "what stands out, with by=opening");
}

double mean_of(const ConstView& channel) { return statistics(channel)[0].mean; }

// A guess that is darker than this share of its mean follows the picture rather than its light: a surface through them
// may even fall below 0.
constexpr float kLeastLight = 0.05F;

bool is_light(float mean, float background) {
  return std::copysign(1.0F, mean) * background >= kLeastLight * std::fabs(mean);
}

// What light of that mean is multiplied by where it is `background`. Without a mean there is nothing to divide by.
float evening(float mean, float background) {
  if (mean == 0) return 1;
  return mean / (is_light(mean, background) ? background : kLeastLight * mean);
}

// How many samples of a channel's guess evening() holds.
std::ptrdiff_t held_in(const ConstView& slow, float mean) {
  std::ptrdiff_t held = 0;
  for (int y = 0; mean != 0 && y < slow.height(); ++y)
    held += std::count_if(slow.row(y), slow.row(y) + slow.width(), [mean](float v) { return !is_light(mean, v); });
  return held;
}

}  // namespace

Image Background::operator()(const ConstView& in) const { return made(*this, in); }
void Background::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  Image room;
  const ConstView finite = finite_light(in, room);
  switch (by) {
    case BackgroundBy::gaussian:
      return Gaussian{.sigma = sigma, .border = Border::mirror}(finite, out);
    case BackgroundBy::opening: {
      const Image flat =
          objects == Objects::bright ? Opening{.radius = radius}(finite) : Closing{.radius = radius}(finite);
      return Gaussian{.sigma = after_opening(radius), .border = Border::mirror}(flat, out);
    }
    case BackgroundBy::polynomial:
      // Its means leave out what is not finite by themselves.
      for (int c = 0; c < in.shape.color_channels(); ++c) fit_surface(in.channel(c), degree).draw(out.channel(c));
      return copy_alpha(in, out);
  }
}
Image Background::plain(const ConstView& in) const {
  if (by == BackgroundBy::polynomial) return reference::polynomial_background(in, degree);
  Image room;
  const ConstView finite = finite_light(in, room);
  if (by == BackgroundBy::gaussian) return reference::gaussian(finite, sigma, Border::mirror, 0);
  const Image flat =
      objects == Objects::bright ? Opening{.radius = radius}.plain(finite) : Closing{.radius = radius}.plain(finite);
  return reference::gaussian(flat, after_opening(radius), Border::mirror, 0);
}
void Background::describe(Description<Background>& d) {
  d.called("background", "light",
           "The slow part of a picture, guessed as its light: large Gaussian, opening, or a smooth surface.");
  d.wrong("the light is to be taken out: take flatten, which does both.");
  d.agrees_within(5e-4);
  background_fields(d);
}

Image Flatten::operator()(const ConstView& in) const { return made(*this, in); }
void Flatten::operator()(const ConstView& in, const View& out) const {
  ready(*this, in, out);
  const Image light = Background{by, sigma, radius, degree, objects}(in);
  std::ptrdiff_t held = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView slow = light.view().channel(c), from = in.channel(c);
    const View to = out.channel(c);
    const auto mean = static_cast<float>(mean_of(slow));
    if (how == TakeOut::divide && notes_heard()) held += held_in(slow, mean);
    parallel_rows(in.height(), static_cast<std::size_t>(in.width()), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float *a = from.row(y), *b = slow.row(y);
        float* r = to.row(y);
        if (how == TakeOut::subtract) {
          for (int x = 0; x < in.width(); ++x) r[x] = a[x] - b[x] + mean;
        } else {
          for (int x = 0; x < in.width(); ++x) r[x] = a[x] * evening(mean, b[x]);
        }
      }
    });
  }
  copy_alpha(in, out);
  if (held > 0)
    note(fmt::format(
        "{} samples of the guessed light are under {:g} of its mean and held there: nothing grows more than {:g} times",
        held, kLeastLight, 1 / kLeastLight));
  tell_flatness(in, out);
}
Image Flatten::plain(const ConstView& in) const {
  const Image light = Background{by, sigma, radius, degree, objects}.plain(in);
  Image out(in);
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const auto mean = static_cast<float>(mean_of(light.view().channel(c)));
    for (int y = 0; y < in.height(); ++y) {
      for (int x = 0; x < in.width(); ++x) {
        const float v = in.at(x, y, c), b = light.at(x, y, c);
        out.at(x, y, c) = how == TakeOut::subtract ? v - b + mean : v * evening(mean, b);
      }
    }
  }
  return out;
}
void Flatten::describe(Description<Flatten>& d) {
  d.called("flatten", "light", "Takes a guessed background out of the picture; the mean level is kept.");
  d.wrong(
      "a flat frame was taken: flat_field is exact; large objects of one level matter: the guess takes them for "
      "light.");
  d.agrees_within(5e-3);
  background_fields(d);
  d.field("how", &Flatten::how, "", "light multiplies (divide), stray light and haze add (subtract)");
}

}  // namespace sieve
