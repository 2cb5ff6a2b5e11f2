#include "sieve/degrade/faults.hpp"

#include <cmath>

#include "run/validate.hpp"
#include "sieve/core/random.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr double kPi = 3.14159265358979323846;
constexpr std::pair<const char*, DeadLines::Along> kAlong[] = {{"columns", DeadLines::Along::columns},
                                                               {"rows", DeadLines::Along::rows}};

// f(sample, x, y) for every color sample.
template <class F, class Work>
void each_place(const F& filter, const ConstView& in, const View& out, Work work) {
  validate(filter, in, out);
  parallel_rows(in.height() * in.shape.color_channels(), RowCost(in.width(), 4), [&](int first, int last) {
    for (int i = first; i < last; ++i) {
      const int y = i % in.height(), c = i / in.height();
      const float* a = in.row(y, c);
      float* r = out.row(y, c);
      for (int x = 0; x < in.width(); ++x) r[x] = static_cast<float>(work(static_cast<double>(a[x]), x, y));
    }
  });
  copy_alpha(in, out);
}

}  // namespace

std::span<const std::pair<const char*, DeadLines::Along>> ChoiceNames<DeadLines::Along>::all() { return kAlong; }

Image PeriodicNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void PeriodicNoise::operator()(const ConstView& in, const View& out) const {
  const double a = angle * kPi / 180, fx = 2 * kPi * std::cos(a) / period, fy = 2 * kPi * std::sin(a) / period,
               start = phase * kPi / 180;
  each_place(*this, in, out, [&](double v, int x, int y) { return v + amplitude * std::sin(fx * x + fy * y + start); });
}
void PeriodicNoise::describe(Description<PeriodicNoise>& d) {
  d.called("periodic_noise", "degrade", "Adds periodic stripes, as mains hum and scan lines do.");
  d.also({"stripes", "hum", "moire", "sine", "interference"});
  d.wrong("the stripes are single broken lines: take dead_lines.");
  d.field("angle", &PeriodicNoise::angle, "degrees",
          "direction across the stripes: 0 gives upright stripes, 90 lying ones", {-360, 360});
  d.field("period", &PeriodicNoise::period, "pixels", "from stripe to stripe", {0.1, 1e6});
  d.field("amplitude", &PeriodicNoise::amplitude, "0..1 scale", "of the sine wave", {0, 100});
  d.field("phase", &PeriodicNoise::phase, "degrees", "of the wave at the pixel 0,0", {-360, 360});
}

Image DeadLines::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void DeadLines::operator()(const ConstView& in, const View& out) const {
  const RandomStream random(seed, 77);
  each_place(*this, in, out, [&](double v, int x, int y) {
    return random.uniform(static_cast<std::uint64_t>(along == Along::columns ? x : y)) < share
               ? static_cast<double>(level)
               : v;
  });
}
void DeadLines::describe(Description<DeadLines>& d) {
  d.called("dead_lines", "degrade", "Whole columns or rows at one level, as from a broken sensor line.");
  d.also({"dead pixels", "sensor", "scratches"});
  d.wrong("single pixels are broken: take impulse_noise.");
  d.field("along", &DeadLines::along, "", "which lines break");
  d.field("share", &DeadLines::share, "share", "probability of each line", {0, 1});
  d.field("level", &DeadLines::level, "0..1 scale", "the sample on a dead line");
  d.field("seed", &DeadLines::seed, "", "another seed, other lines; the same seed, the same lines");
}

Image Quantize::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Quantize::operator()(const ConstView& in, const View& out) const {
  const double top = (1 << bits) - 1;
  each_place(*this, in, out, [top](double v, int, int) {
    return std::isnan(v) ? v : std::floor((v < 0 ? 0 : v > 1 ? 1 : v) * top + 0.5) / top;
  });
}
void Quantize::describe(Description<Quantize>& d) {
  d.called("quantize", "degrade", "Rounds to the nearest of 2^bits levels and clips to 0..1: a converter of few bits.");
  d.also({"posterize", "bit depth", "levels"});
  d.wrong("banding must not show: add a little noise before it.");
  d.point();
  d.undivided();
  d.field("bits", &Quantize::bits, "bits", "2^bits levels are left", {1, 16});
}

Image Vignette::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Vignette::operator()(const ConstView& in, const View& out) const {
  const double cx = (in.width() - 1) / 2.0, cy = (in.height() - 1) / 2.0, corner = std::max(cx * cx + cy * cy, 1e-9);
  each_place(*this, in, out, [&](double v, int x, int y) {
    return v * (1 - strength * ((x - cx) * (x - cx) + (y - cy) * (y - cy)) / corner);
  });
}
void Vignette::describe(Description<Vignette>& d) {
  d.called("vignette", "degrade", "Darkens toward the corners with the square of the distance, as lenses do.");
  d.also({"falloff", "corners"});
  d.wrong("the light is uneven in another shape: multiply with a picture of it.");
  d.field("strength", &Vignette::strength, "share", "share of the light lost in the corners", {0, 1});
}

}  // namespace sieve
