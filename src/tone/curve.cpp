#include "sieve/tone/curve.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "run/validate.hpp"
#include "tone/curve_lanes.hpp"
#include "tone/number_pairs.hpp"
#include "tone/point_lanes.hpp"
#include "tone/range.hpp"

namespace sieve {

using namespace internal;

Image Gamma::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Gamma::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Gamma::describe(Description<Gamma>& d) {
  d.called("gamma", "tone",
           "A power of the level: below 1 it brightens the middle, above 1 it darkens it; 0 and 1 stay.");
  d.also({"power", "exponent", "brighten", "midtones"});
  d.wrong("the range is not filled: stretch first; linear light is wanted: take linearize, which is no plain power.");
  d.maps_samples(
      [](const Gamma& f) {
        return
            [k = static_cast<float>(f.exponent)](const float* a, float* r, std::size_t n) { lanes::power(a, k, r, n); };
      },
      1.9);
  d.field("exponent", &Gamma::exponent, "", "below 1 brightens, above 1 darkens", {0.01, 100});
}

Image Logarithm::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Logarithm::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Logarithm::describe(Description<Logarithm>& d) {
  d.called("logarithm", "tone",
           "Lifts dark levels far more than bright ones: spectra and night views become readable.");
  d.also({"log", "compress range"});
  d.wrong("the picture is noisy in the dark: the noise is lifted as far.");
  d.maps_samples(
      [](const Logarithm& f) {
        return [k = static_cast<float>(f.strength)](const float* a, float* r, std::size_t n) {
          lanes::logarithm(a, k, r, n);
        };
      },
      1.9);
  d.field("strength", &Logarithm::strength, "", "how much the dark levels gain", {0.001, 1e6});
}

Image Sigmoid::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Sigmoid::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Sigmoid::describe(Description<Sigmoid>& d) {
  d.called("sigmoid", "tone", "An S-shaped curve: more contrast about one level, without clipping the ends.");
  d.also({"S curve", "contrast"});
  d.wrong("detail at both ends matters: it is pressed together there; take clahe.");
  d.maps_samples(
      [](const Sigmoid& f) {
        return [k = static_cast<float>(f.steepness), center = static_cast<float>(f.center)](
                   const float* a, float* r, std::size_t n) { lanes::sigmoid(a, k, center, r, n); };
      },
      1.6);
  d.field("steepness", &Sigmoid::steepness, "", "contrast about the center; near 0 it is a straight line", {0.01, 50});
  d.field("center", &Sigmoid::center, "0..1 scale", "the level where it is steepest", {0, 1});
}

CurvePoints CurvePoints::parse(std::string_view text) {
  const auto refuse = [&](const std::string& why) {
    throw InvalidArgument(
        fmt::format("curve points '{}': {}; give {}", text.substr(0, 60), why, TextValue<CurvePoints>::allowed()));
  };
  CurvePoints c{std::string()};
  NumberPairs points;
  if (const std::string why = read_number_pairs(text, false, points); !why.empty()) refuse(why);
  c.text_ = points.text;
  for (const auto& [x, y] : points.pairs) {
    c.x_.push_back(x);
    c.y_.push_back(y);
  }
  const std::size_t n = c.x_.size();
  if (n < 2 || n > 256) refuse(fmt::format("{} points", n));
  std::vector<double> step(n - 1), rise(n - 1);
  for (std::size_t i = 0; i + 1 < n; ++i) {
    step[i] = c.x_[i + 1] - c.x_[i];
    rise[i] = (c.y_[i + 1] - c.y_[i]) / step[i];
  }
  c.slope_.assign(n, rise[0]);
  c.slope_[n - 1] = rise[n - 2];
  for (std::size_t i = 1; i + 1 < n; ++i) {
    const double a = rise[i - 1], b = rise[i], wa = 2 * step[i] + step[i - 1], wb = step[i] + 2 * step[i - 1];
    c.slope_[i] = a * b <= 0 ? 0 : (wa + wb) / (wa / a + wb / b);
  }
  return c;
}

double CurvePoints::operator()(double v) const {
  const std::size_t n = x_.size();
  if (!(v >= x_[0])) return y_[0] + (v - x_[0]) * slope_[0];
  if (v >= x_[n - 1]) return y_[n - 1] + (v - x_[n - 1]) * slope_[n - 1];
  const auto i = static_cast<std::size_t>(std::upper_bound(x_.begin(), x_.end(), v) - x_.begin()) - 1;
  const double h = x_[i + 1] - x_[i], t = (v - x_[i]) / h;
  return (1 + 2 * t) * (1 - t) * (1 - t) * y_[i] + t * (1 - t) * (1 - t) * h * slope_[i] +
         t * t * (3 - 2 * t) * y_[i + 1] - t * t * (1 - t) * h * slope_[i + 1];
}

std::vector<CurvePoints::Knot> CurvePoints::knots() const {
  std::vector<Knot> all;
  for (std::size_t i = 0; i < x_.size(); ++i) all.push_back({x_[i], y_[i], slope_[i]});
  return all;
}

CurvePoints TextValue<CurvePoints>::parse(std::string_view s, const Resources& r) {
  if (!s.starts_with('@')) return CurvePoints::parse(s);
  return CurvePoints::parse(r.open_text(std::string(s.substr(1))));
}
const char* TextValue<CurvePoints>::allowed() {
  return "points like 0,0/0.3,0.5/1,1 with rising first numbers, or @FILE with a point a row";
}

Image Curve::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Curve::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Curve::describe(Description<Curve>& d) {
  d.called("curve", "tone", "Levels through a smooth curve that is given by points.");
  d.also({"spline", "tone curve", "levels", "lookup", "LUT"});
  d.wrong("the same curve is to fit many pictures of different exposure: take equalize, match or auto_exposure.");
  d.maps_samples(
      [](const Curve& f) {
        return [points = f.points](float v) { return static_cast<float>(points(static_cast<double>(v))); };
      },
      20);
  d.field("points", &Curve::points, "0..1 scale", "from,to pairs split by /");
}

Image Brightness::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Brightness::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Brightness::describe(Description<Brightness>& d) {
  d.called("brightness", "tone", "Adds an amount to every sample.")
      .wrong("dark detail is to be lifted: gamma does it without graying the black.");
  d.also({"offset", "lighten", "darken"});
  d.maps_samples(
      [](const Brightness& f) {
        return [k = static_cast<float>(f.amount)](const float* a, float* r, std::size_t n) {
          lanes::line(a, 0, 1, k, r, n);
        };
      },
      lanes::kCheap);
  d.field("amount", &Brightness::amount, "0..1 scale", "what is added", {-10, 10});
}

Image Gain::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Gain::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Gain::describe(Description<Gain>& d) {
  d.called("gain", "tone", "Multiplies every sample by a number.")
      .wrong("black is not 0 in the picture, or a level in the middle is to stay: contrast has a pivot.");
  d.also({"scale", "multiply by a number", "amplify"});
  d.maps_samples(
      [](const Gain& f) {
        return [k = static_cast<float>(f.factor)](const float* a, float* r, std::size_t n) {
          lanes::line(a, 0, k, 0, r, n);
        };
      },
      lanes::kCheap);
  d.float_result([](const Gain& f) { return f.factor < 0; });
  d.field("factor", &Gain::factor, "", "what every sample is multiplied by", {-1000, 1000});
}

Image Contrast::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Contrast::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Contrast::describe(Description<Contrast>& d) {
  d.called("contrast", "tone", "Scales the distance of every sample to one level.")
      .wrong("the ends must not be cut when the result is written: take sigmoid.");
  d.also({"scale about a level"});
  d.maps_samples(
      [](const Contrast& f) {
        return [k = static_cast<float>(f.factor), pivot = static_cast<float>(f.pivot)](
                   const float* a, float* r, std::size_t n) { lanes::line(a, pivot, k, pivot, r, n); };
      },
      lanes::kCheap);
  d.field("factor", &Contrast::factor, "", "above 1 more contrast, below 1 less", {-100, 100});
  d.field("pivot", &Contrast::pivot, "0..1 scale", "the level that stays", {-10, 10});
}

Image Invert::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Invert::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Invert::describe(Description<Invert>& d) {
  d.called("invert", "tone", "The negative: 1 less every sample.")
      .wrong("only the darkest and brightest are to change places: take solarize or a curve.");
  d.also({"negative", "complement"});
  d.maps_samples(
      [](const Invert&) { return [](const float* a, float* r, std::size_t n) { lanes::line(a, 0, -1, 1, r, n); }; },
      lanes::kCheap);
}

Image Solarize::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Solarize::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Solarize::describe(Description<Solarize>& d) {
  d.called("solarize", "tone", "Inverts the levels above one: shows at a glance where a picture is near white.");
  d.also({"Sabattier"});
  d.wrong("the result is to be undone: two levels become one.");
  d.maps_samples(
      [](const Solarize& f) { return [k = static_cast<float>(f.level)](float v) { return v > k ? 1 - v : v; }; });
  d.field("level", &Solarize::level, "0..1 scale", "levels above it are inverted");
}

Image Linearize::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Linearize::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Linearize::describe(Description<Linearize>& d) {
  d.called("linearize", "tone",
           "Display-encoded samples to light (the sRGB curve): for all that adds or divides light.");
  d.also({"sRGB", "degamma", "linear light"});
  d.wrong("the samples are linear already (sensor data, float renderings).");
  d.maps_samples(
      [](const Linearize&) { return [](const float* a, float* r, std::size_t n) { lanes::linearize(a, r, n); }; }, 2);
}

Image Encode::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Encode::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Encode::describe(Description<Encode>& d) {
  d.called("encode", "tone", "Light to display-encoded samples: the inverse of linearize.");
  d.also({"gamma", "sRGB", "delinearize"});
  d.wrong("the samples are display-encoded already: the picture becomes pale.");
  d.maps_samples([](const Encode&) { return [](const float* a, float* r, std::size_t n) { lanes::encode(a, r, n); }; },
                 2);
}

}  // namespace sieve
