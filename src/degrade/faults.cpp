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

// f(sample, place) for every color sample.
template <class Work>
auto by_place(Work work) {
  return [work](float v, const RowPlace& place) { return static_cast<float>(work(static_cast<double>(v), place)); };
}

}  // namespace

std::span<const std::pair<const char*, DeadLines::Along>> ChoiceNames<DeadLines::Along>::all() { return kAlong; }

Image PeriodicNoise::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void PeriodicNoise::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void PeriodicNoise::describe(Description<PeriodicNoise>& d) {
  d.called("periodic_noise", "degrade", "Adds periodic stripes, as mains hum and scan lines do.");
  d.also({"stripes", "hum", "moire", "sine", "interference"});
  d.wrong("the stripes are single broken lines: take dead_lines.");
  d.maps_places(
      [](const PeriodicNoise& f) {
        const double a = f.angle * kPi / 180, fx = 2 * kPi * std::cos(a) / f.period,
                     fy = 2 * kPi * std::sin(a) / f.period, start = f.phase * kPi / 180, size = f.amplitude;
        return by_place(
            [=](double v, const RowPlace& at) { return v + size * std::sin(fx * at.x + fy * at.y + start); });
      },
      16);
  d.field("angle", &PeriodicNoise::angle, "degrees",
          "direction across the stripes: 0 gives upright stripes, 90 lying ones", {-360, 360});
  d.field("period", &PeriodicNoise::period, "pixels", "from stripe to stripe", {0.1, 1e6});
  d.field("amplitude", &PeriodicNoise::amplitude, "0..1 scale", "of the sine wave", {0, 100});
  d.field("phase", &PeriodicNoise::phase, "degrees", "of the wave at the pixel 0,0", {-360, 360});
}

Image DeadLines::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void DeadLines::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void DeadLines::describe(Description<DeadLines>& d) {
  d.called("dead_lines", "degrade", "Whole columns or rows at one level, as from a broken sensor line.");
  d.also({"dead pixels", "sensor", "scratches"});
  d.wrong("single pixels are broken: take impulse_noise.");
  d.maps_places(
      [](const DeadLines& f) {
        return by_place([f, random = RandomStream(f.seed, 77)](double v, const RowPlace& at) {
          const auto line = static_cast<std::uint64_t>(f.along == DeadLines::Along::columns ? at.x : at.y);
          return random.uniform(line) < f.share ? static_cast<double>(f.level) : v;
        });
      },
      8);
  d.field("along", &DeadLines::along, "", "which lines break");
  d.field("share", &DeadLines::share, "share", "probability of each line", {0, 1});
  d.field("level", &DeadLines::level, "0..1 scale", "the sample on a dead line");
  d.field("seed", &DeadLines::seed, "", "another seed, other lines; the same seed, the same lines");
}

Image Quantize::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Quantize::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Quantize::describe(Description<Quantize>& d) {
  d.called("quantize", "degrade", "Rounds to the nearest of 2^bits levels and clips to 0..1: a converter of few bits.");
  d.also({"posterize", "bit depth", "levels"});
  d.wrong("banding must not show: add a little noise before it.");
  d.maps_samples(
      [](const Quantize& f) {
        return [top = static_cast<double>((1 << f.bits) - 1)](float sample) {
          const auto v = static_cast<double>(sample);
          return static_cast<float>(std::isnan(v) ? v : std::floor((v < 0 ? 0 : v > 1 ? 1 : v) * top + 0.5) / top);
        };
      },
      2);
  d.field("bits", &Quantize::bits, "bits", "2^bits levels are left", {1, 16});
}

Image Vignette::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Vignette::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Vignette::describe(Description<Vignette>& d) {
  d.called("vignette", "degrade", "Darkens toward the corners with the square of the distance, as lenses do.");
  d.also({"falloff", "corners"});
  d.wrong("the light is uneven in another shape: multiply with a picture of it.");
  d.maps_places([](const Vignette& f) {
    return by_place([strength = f.strength](double v, const RowPlace& at) {
      const double cx = (at.width - 1) / 2.0, cy = (at.height - 1) / 2.0, corner = std::max(cx * cx + cy * cy, 1e-9);
      return v * (1 - strength * ((at.x - cx) * (at.x - cx) + (at.y - cy) * (at.y - cy)) / corner);
    });
  });
  d.field("strength", &Vignette::strength, "share", "share of the light lost in the corners", {0, 1});
}

}  // namespace sieve
