#pragma once
/// Color: conversions that can be undone, and changes of hue and saturation that hold the lightness.
/// The call into a buffer may get the picture itself as that buffer.

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Display-encoded RGB to OKLab: L (lightness, 0..1), a (green to red) and b (blue to yellow), about -0.4..0.4. Gray
/// pictures become L alone. Source: B. Ottosson, "A perceptual color space for image processing", 2020; as in CSS Color
/// Level 4 (W3C). FromOklab undoes it within 3e-5 for colors in 0..1: every 8-bit color comes back as it was, some
/// 16-bit ones (a channel near 0 beside a bright one) a level off, which is what single precision leaves. O(pixels).
struct ToOklab {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<ToOklab>& d);
};

/// OKLab to display-encoded RGB; colors that RGB does not hold come out below 0 or above 1. O(pixels).
struct FromOklab {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<FromOklab>& d);
};

/// A pixel's color as the eye sees it (OKLab).
struct PixelColor {
  double lightness = 0;  ///< 0 black to 1 white
  double chroma = 0;     ///< 0 gray to about 0.32 for the strongest colors of a screen
  double hue = 0;        ///< degrees, 0 to 360, those of KeepHue and HueShift; 0 where there is no chroma
};
/// Of the pixel (x, y) of a picture of display-encoded samples. InvalidArgument outside of it. O(1).
[[nodiscard]] PixelColor color_at(const ConstView& in, int x, int y);

/// RGB to hue (0..1 for the whole circle, red 0, green 1/3: the circle of this model, not the degrees of KeepHue, which
/// color_at() tells), saturation and value (the largest channel). Gray pictures
/// stay as they are. FromHsv undoes it to rounding (2e-6) for samples of 0 and more. Source: A. R. Smith, "Color gamut
/// transform pairs", SIGGRAPH 1978. O(pixels).
struct ToHsv {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<ToHsv>& d);
};

/// Hue, saturation and value to RGB; hues outside 0..1 go round the circle. O(pixels).
struct FromHsv {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<FromHsv>& d);
};

/// Chroma times `factor` in OKLab: lightness and hue stay. Gray pictures stay as they are.
struct Saturate {
  Real factor = 1.4F;  ///< 0 (gray) to 20; 1 changes nothing
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Saturate>& d);
};

/// Turns every hue by an angle in OKLab: lightness and chroma stay. Gray pictures stay as they are.
struct HueShift {
  Real degrees = 30;  ///< -360 to 360
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<HueShift>& d);
};

/// A range of hues stays colored, the rest goes gray of the same lightness (OKLab). Colors up to half of `width` from
/// `hue` keep all their chroma, those farther than that and `soft` keep none, between them it falls along a cosine.
/// Pure red lies at 29 degrees, yellow at 110, green at 142, cyan at 195, blue at 264, magenta at 328.
struct KeepHue {
  Real hue = 29;    ///< middle of the hues kept, degrees, 0 to 360
  Real width = 40;  ///< how many degrees keep all their color, 0 to 360
  Real soft = 20;   ///< over how many degrees it then fades, 0 to 180
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<KeepHue>& d);
};

}  // namespace sieve
