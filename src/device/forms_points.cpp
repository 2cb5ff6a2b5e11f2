// Points: tone, color, arithmetic.

#include <cmath>
#include <numbers>

#include "core/luma.hpp"
#include "device/forms.hpp"
#include "sieve/degrade.hpp"
#include "sieve/denoise.hpp"
#include "sieve/tone.hpp"
#include "tone/curve_lanes.hpp"

namespace sieve::internal::device {

namespace {

Made sample(const char* text, std::vector<float> numbers = {}) {
  return Work{.point = Point{.text = text, .numbers = std::move(numbers)}, .run = {}};
}

// A color; `gray` is what becomes of a picture of one channel.
Made color(const char* text, std::vector<float> numbers = {}, const char* gray = "") {
  return Work{.point = Point{.kind = Point::Kind::color, .text = text, .numbers = std::move(numbers), .gray = gray},
              .run = {}};
}

Made pair(const char* text, const SharedImage& second, std::vector<float> numbers = {}) {
  return Work{.point = Point{.text = text, .numbers = std::move(numbers), .with_second = true, .second = second},
              .run = {}};
}

// The matrices of OKLab, then what the text needs.
std::vector<float> lab_numbers(std::initializer_list<float> more = {}) {
  const lanes::OklabMatrices& m = lanes::oklab_matrices();
  std::vector<float> all;
  for (const auto* matrix : {m.to_cones, m.to_lab, m.from_lab, m.from_cones}) all.insert(all.end(), matrix, matrix + 9);
  all.insert(all.end(), more);
  return all;
}

void add_levels(Forms& forms) {
  forms.add<Brightness>([](const Brightness& f, const Shape&) { return sample("v + n[0]", {number(f.amount)}); });
  forms.add<Gain>([](const Gain& f, const Shape&) { return sample("v * n[0]", {number(f.factor)}); });
  forms.add<Contrast>([](const Contrast& f, const Shape&) {
    return sample("(v - n[1]) * n[0] + n[1]", {number(f.factor), number(f.pivot)});
  });
  forms.add<Invert>([](const Invert&, const Shape&) { return sample("1 - v"); });
  forms.add<Absolute>([](const Absolute&, const Shape&) { return sample("fabs(v)"); });
  forms.add<Solarize>(
      [](const Solarize& f, const Shape&) { return sample("v > n[0] ? 1 - v : v", {number(f.level)}); });
  forms.add<Clip>([](const Clip& f, const Shape&) {
    return sample("isnan(v) ? v : clamp(v, n[0], n[1])", {number(f.low), number(f.high)});
  });
  forms.add<Threshold>([](const Threshold& f, const Shape&) -> Made {
    if (f.by != ThresholdBy::level) return std::nullopt;
    return sample("isnan(v) ? v : v > n[0] ? 1.0f : 0.0f", {number(f.level)});
  });
  forms.add<Quantize>([](const Quantize& f, const Shape&) {
    return sample("isnan(v) ? v : floor(clamp(v, 0.0f, 1.0f) * n[0] + 0.5f) / n[0]",
                  {static_cast<float>((1 << f.bits) - 1)});
  });
  forms.add<Anscombe>([](const Anscombe& f, const Shape&) {
    const float k = number(f.peak);
    return sample("isnan(v) ? v : sqrt(fmax(v * n[0] + 0.375f, 0.0f)) / n[1]", {k, std::sqrt(k + 0.375F)});
  });
  forms.add<InverseAnscombe>([](const InverseAnscombe& f, const Shape&) {
    const double k = static_cast<double>(number(f.peak));
    return sample("isnan(v) ? v : counts_of(fmax(v * n[0], 1.22474487f)) * n[1]",
                  {static_cast<float>(2 * std::sqrt(k + 0.375)), static_cast<float>(1 / k)});
  });
}

void add_curves(Forms& forms) {
  forms.add<Gamma>(
      [](const Gamma& f, const Shape&) { return sample("odd(v, power(fabs(v), n[0]))", {number(f.exponent)}); });
  forms.add<Logarithm>([](const Logarithm& f, const Shape&) {
    const float k = number(f.strength);
    return sample("odd(v, log_one_plus(n[0] * fabs(v)) * n[1])",
                  {k, static_cast<float>(1 / std::log1p(static_cast<double>(k)))});
  });
  forms.add<Sigmoid>([](const Sigmoid& f, const Shape&) {
    const double k = 0.5 * static_cast<double>(number(f.steepness)), m = static_cast<double>(number(f.center)),
                 low = std::tanh(-k * m), high = std::tanh(k * (1 - m));
    return sample(
        "isnan(v) ? v : (hyperbolic_tangent(clamp((v - n[0]) * n[1], -20.0f, 20.0f)) - n[2]) * n[3]",
        {number(f.center), static_cast<float>(k), static_cast<float>(low), static_cast<float>(1 / (high - low))});
  });
  forms.add<Linearize>([](const Linearize&, const Shape&) { return sample("odd(v, to_light(fabs(v)))"); });
  forms.add<Encode>([](const Encode&, const Shape&) { return sample("odd(v, from_light(fabs(v)))"); });
  forms.add<Curve>([](const Curve& f, const Shape&) {
    const std::vector<CurvePoints::Knot> knots = f.points.knots();
    std::vector<float> n = {static_cast<float>(knots.size())};
    for (const auto& k : knots) n.push_back(static_cast<float>(k.level));
    for (const auto& k : knots) n.push_back(static_cast<float>(k.becomes));
    for (const auto& k : knots) n.push_back(static_cast<float>(k.slope));
    return sample("curve_at(v, n)", std::move(n));
  });
}

void add_colors(Forms& forms) {
  forms.add<Gray>([](const Gray& f, const Shape& in) -> Made {
    if (in.color_channels() == 1) return sample("v");
    const int channel = f.by == GrayBy::red ? 0 : f.by == GrayBy::green ? 1 : f.by == GrayBy::blue ? 2 : -1;
    Point p{.kind = Point::Kind::to_gray, .text = ""};
    if (channel >= 0) {
      p.text = channel == 0 ? "v.a" : channel == 1 ? "v.b" : "v.c";
    } else {
      const GrayWeights w = gray_weights(f.by);
      p.text = "n[0] * v.a + n[1] * v.b + n[2] * v.c";
      p.numbers = {w.red, w.green, w.blue};
    }
    return Work{.point = std::move(p), .run = {}, .shape = [](const Shape& s) { return Shape{s.width, s.height, 1}; }};
  });
  forms.add<ToOklab>([](const ToOklab&, const Shape&) {
    return color("lab_of(v, n)", lab_numbers(), "odd(v, cube_root(to_light(fabs(v))))");
  });
  forms.add<FromOklab>([](const FromOklab&, const Shape&) {
    return color("color_of_lab(v, n)", lab_numbers(), "odd(v, from_light(fabs(v * v * v)))");
  });
  forms.add<ToHsv>([](const ToHsv&, const Shape&) { return color("to_hue(v)"); });
  forms.add<FromHsv>([](const FromHsv&, const Shape&) { return color("from_hue(v)"); });
  forms.add<Saturate>([](const Saturate& f, const Shape&) {
    return color("with_chroma(v, n)", lab_numbers({number(f.factor), 0, 0, number(f.factor)}));
  });
  forms.add<HueShift>([](const HueShift& f, const Shape&) {
    const double t = static_cast<double>(number(f.degrees)) * std::numbers::pi / 180;
    const auto c = static_cast<float>(std::cos(t)), s = static_cast<float>(std::sin(t));
    return color("with_chroma(v, n)", lab_numbers({c, -s, s, c}));
  });
  forms.add<KeepHue>([](const KeepHue& f, const Shape&) {
    constexpr double kRadians = std::numbers::pi / 180;
    const double t = static_cast<double>(number(f.hue)) * kRadians;
    return color("with_hue(v, n)",
                 lab_numbers({static_cast<float>(std::cos(t)), static_cast<float>(std::sin(t)),
                              static_cast<float>(0.5 * static_cast<double>(number(f.width)) * kRadians),
                              std::max(1e-6F, static_cast<float>(static_cast<double>(number(f.soft)) * kRadians))}));
  });
}

void add_pairs(Forms& forms) {
  forms.add<Add>([](const Add& f, const Shape&) { return pair("v + w", f.with); });
  forms.add<Subtract>([](const Subtract& f, const Shape&) { return pair("v - w", f.with); });
  forms.add<Multiply>([](const Multiply& f, const Shape&) { return pair("v * w", f.with); });
  forms.add<AbsoluteDifference>([](const AbsoluteDifference& f, const Shape&) { return pair("fabs(v - w)", f.with); });
  forms.add<Blend>([](const Blend& f, const Shape&) { return pair("v + n[0] * (w - v)", f.with, {number(f.share)}); });
  forms.add<Divide>([](const Divide& f, const Shape&) {
    return pair("fabs(w) >= n[0] || isnan(w) ? v / w : v / copysign(n[0], w)", f.with, {number(f.least)});
  });
}

}  // namespace

void add_points(Forms& forms) {
  add_levels(forms);
  add_curves(forms);
  add_colors(forms);
  add_pairs(forms);
}

}  // namespace sieve::internal::device
