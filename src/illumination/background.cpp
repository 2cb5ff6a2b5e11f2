#include "sieve/illumination/background.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "illumination/border_help.hpp"
#include "illumination/finite_illumination.hpp"
#include "illumination/surface.hpp"
#include "illumination/tell_flatness.hpp"
#include "run/validate.hpp"
#include "sieve/core/map.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/spatial/rank.hpp"
#include "sieve/spatial/smooth.hpp"
#include "sieve/tone/statistics.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, BackgroundBy>> ChoiceNames<BackgroundBy>::all() {
  static constexpr std::pair<const char*, BackgroundBy> names[] = {{"gaussian", BackgroundBy::gaussian},
                                                                   {"opening", BackgroundBy::opening},
                                                                   {"polynomial", BackgroundBy::polynomial}};
  return names;
}
std::span<const std::pair<const char*, ObjectTone>> ChoiceNames<ObjectTone>::all() {
  static constexpr std::pair<const char*, ObjectTone> names[] = {{"bright", ObjectTone::bright},
                                                                 {"dark", ObjectTone::dark}};
  return names;
}
std::span<const std::pair<const char*, BackgroundRemoval>> ChoiceNames<BackgroundRemoval>::all() {
  static constexpr std::pair<const char*, BackgroundRemoval> names[] = {{"divide", BackgroundRemoval::divide},
                                                                        {"subtract", BackgroundRemoval::subtract}};
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
  d.border(&F::border, nullptr, picture_borders(), kWideBorderHelp);
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

Image Background::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Background::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  Image room;
  const ConstView finite = finite_illumination(in, room);
  switch (by) {
    case BackgroundBy::gaussian:
      return Gaussian{.sigma = sigma, .border = border}(finite, out);
    case BackgroundBy::opening: {
      const Image flat =
          objects == ObjectTone::bright ? Opening{.radius = radius}(finite) : Closing{.radius = radius}(finite);
      return Gaussian{.sigma = after_opening(whole(radius)), .border = border}(flat, out);
    }
    case BackgroundBy::polynomial:
      // Its means leave out what is not finite by themselves.
      for (int c = 0; c < in.shape.color_channels(); ++c) fit_surface(in.channel(c), degree).draw(out.channel(c));
      return copy_alpha(in, out);
  }
}
void Background::describe(Description<Background>& d) {
  d.called("background", "illumination",
           "The slow part of a picture, guessed as its light: large Gaussian, opening, or a smooth surface.");
  d.also({"illumination estimate", "shading"});
  d.wrong("the light is to be taken out: take flatten, which does both.");
  background_fields(d);
}

Image Flatten::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Flatten::operator()(const ConstView& in, const View& out) const {
  validate(*this, in, out);
  const Image light = Background{by, sigma, radius, degree, objects, border}(in);
  std::ptrdiff_t held = 0;
  for (int c = 0; c < in.shape.color_channels(); ++c) {
    const ConstView slow = light.view().channel(c), from = in.channel(c);
    const View to = out.channel(c);
    const auto mean = static_cast<float>(mean_of(slow));
    if (how == BackgroundRemoval::divide && notes_heard()) held += held_in(slow, mean);
    parallel_rows(in.height(), in.width(), [&](int first, int last) {
      for (int y = first; y < last; ++y) {
        const float *a = from.row(y), *b = slow.row(y);
        float* r = to.row(y);
        if (how == BackgroundRemoval::subtract) {
          for (int x = 0; x < in.width(); ++x) r[x] = a[x] - b[x] + mean;
        } else {
          for (int x = 0; x < in.width(); ++x) r[x] = a[x] * evening(mean, b[x]);
        }
      }
    });
  }
  copy_alpha(in, out);
  if (held > 0)
    note(fmt::format("{} under {:g} of its mean and held there: nothing grows more than {:g} times",
                     counted(static_cast<unsigned long long>(held), "sample of the guessed light is",
                             "samples of the guessed light are"),
                     kLeastLight, 1 / kLeastLight));
  tell_flatness(in, out);
}
void Flatten::describe(Description<Flatten>& d) {
  d.called("flatten", "illumination", "Takes a guessed background out of the picture; the mean level is kept.");
  d.also({"shading correction", "uneven light", "illumination", "defog", "haze", "background subtraction"});
  d.wrong(
      "a flat frame was taken: flat_field is exact; large objects of one level matter: the guess takes them for "
      "light.");
  background_fields(d);
  d.field("how", &Flatten::how, "", "light multiplies (divide), stray light and haze add (subtract)");
}

}  // namespace sieve
