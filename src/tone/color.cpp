#include "sieve/tone/color.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "run/validate.hpp"
#include "tone/curve_lanes.hpp"

namespace sieve {

using namespace internal;

namespace {

bool colored(const ConstView& in) { return in.shape.color_channels() == 3; }

// Color by `work`; gray by `gray`, or as it is.
template <class Work>
auto color_rows(Work work, void (*gray)(const float*, float*, std::size_t) = nullptr) {
  return [work, gray](const PixelRow& row) {
    if (row.colors == 3) {
      work(lanes::ThreeIn{row.in[0], row.in[1], row.in[2]}, lanes::ThreeOut{row.out[0], row.out[1], row.out[2]},
           row.count);
    } else if (gray != nullptr) {
      gray(row.in[0], row.out[0], row.count);
    } else {
      std::copy_n(row.in[0], row.count, row.out[0]);
    }
  };
}

auto chroma_rows(const lanes::ChromaMatrix& m) {
  return color_rows(
      [m](const lanes::ThreeIn& a, const lanes::ThreeOut& r, std::size_t n) { lanes::change_chroma(a, m, r, n); });
}

constexpr double kRadians = std::numbers::pi / 180;

}  // namespace

Image ToOklab::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void ToOklab::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void ToOklab::describe(Description<ToOklab>& d) {
  d.float_result();
  d.called("to_oklab", "color", "RGB to lightness and two axes of color that match what the eye sees (OKLab).");
  d.also({"Lab", "perceptual"});
  d.wrong("the result is to be looked at: it is no RGB; go back with from_oklab.");
  d.maps_pixels([](const ToOklab&) { return color_rows(lanes::to_oklab, lanes::gray_to_oklab); }, 8);
}

Image FromOklab::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void FromOklab::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void FromOklab::describe(Description<FromOklab>& d) {
  d.called("from_oklab", "color", "OKLab back to RGB.").wrong("the samples are RGB already: take to_oklab first.");
  d.also({"Lab", "perceptual"});
  d.maps_pixels([](const FromOklab&) { return color_rows(lanes::from_oklab, lanes::gray_from_oklab); }, 8);
}

PixelColor color_at(const ConstView& in, int x, int y) {
  const Image lab = ToOklab{}(in.part({x, y, 1, 1}));
  PixelColor p;
  p.lightness = static_cast<double>(lab.at(0, 0, 0));
  if (!colored(in)) return p;
  const auto a = static_cast<double>(lab.at(0, 0, 1)), b = static_cast<double>(lab.at(0, 0, 2));
  p.chroma = std::hypot(a, b);
  // Below it rounding alone would point somewhere.
  constexpr double kGray = 1e-6;
  if (p.chroma < kGray) return p;
  p.hue = std::atan2(b, a) / kRadians;
  if (p.hue < 0) p.hue += 360;
  return p;
}

Image ToHsv::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void ToHsv::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void ToHsv::describe(Description<ToHsv>& d) {
  d.called("to_hsv", "color", "RGB to hue, saturation and value.")
      .wrong("lightness is to hold when the hue or saturation changes: take to_oklab.");
  d.also({"HSB", "hue"});
  d.maps_pixels([](const ToHsv&) { return color_rows(lanes::to_hsv); }, 8);
}

Image FromHsv::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void FromHsv::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void FromHsv::describe(Description<FromHsv>& d) {
  d.called("from_hsv", "color", "Hue, saturation and value back to RGB.")
      .wrong("the samples are RGB already: take to_hsv first.");
  d.also({"HSB", "hue"});
  d.maps_pixels([](const FromHsv&) { return color_rows(lanes::from_hsv); }, 8);
}

Image Saturate::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void Saturate::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void Saturate::describe(Description<Saturate>& d) {
  d.called("saturate", "color", "Stronger or weaker colors at the same lightness and hue.");
  d.also({"chroma", "color"});
  d.wrong("the whole picture has a tint: take white_balance.");
  d.maps_pixels([](const Saturate& f) { return chroma_rows({f.factor, 0, 0, f.factor}); }, 12);
  d.field("factor", &Saturate::factor, "", "times the chroma; 0 is gray, 1 changes nothing", {0, 20});
}

Image HueShift::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void HueShift::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void HueShift::describe(Description<HueShift>& d) {
  d.called("hue_shift", "color", "Turns every hue by one angle; lightness and chroma stay.");
  d.also({"rotate hue", "recolor", "tint"});
  d.wrong("one color alone is to change: open a group with within mask=.");
  d.maps_pixels(
      [](const HueShift& f) {
        const double t = static_cast<double>(f.degrees) * kRadians;
        const auto c = static_cast<float>(std::cos(t)), s = static_cast<float>(std::sin(t));
        return chroma_rows({c, -s, s, c});
      },
      12);
  d.field("degrees", &HueShift::degrees, "degrees", "from red toward yellow", {-360, 360});
}

Image KeepHue::operator()(const ConstView& in) const { return allocate_and_run(*this, in); }
void KeepHue::operator()(const ConstView& in, const View& out) const { validate_and_run_rows(*this, in, out); }
void KeepHue::describe(Description<KeepHue>& d) {
  d.called("keep_hue", "color", "A range of hues stays colored, everything else goes gray of the same lightness.");
  d.also({"one color"});
  d.wrong("the object is told apart by place, not by color: open a group with within part=.");
  d.maps_pixels(
      [](const KeepHue& f) {
        const double t = static_cast<double>(f.hue) * kRadians;
        const lanes::HueWindow window{static_cast<float>(std::cos(t)), static_cast<float>(std::sin(t)),
                                      static_cast<float>(0.5 * static_cast<double>(f.width) * kRadians),
                                      std::max(1e-6F, static_cast<float>(static_cast<double>(f.soft) * kRadians))};
        return color_rows([window](const lanes::ThreeIn& a, const lanes::ThreeOut& r, std::size_t n) {
          lanes::keep_hue(a, window, r, n);
        });
      },
      14);
  d.field("hue", &KeepHue::hue, "degrees",
          "middle of the hues kept: red 29, yellow 110, green 142, cyan 195, blue 264, magenta 328", {0, 360});
  d.field("width", &KeepHue::width, "degrees", "how many keep all their color", {0, 360});
  d.field("soft", &KeepHue::soft, "degrees", "over how many it then fades", {0, 180});
}

}  // namespace sieve
