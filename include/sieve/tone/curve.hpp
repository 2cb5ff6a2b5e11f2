#pragma once
/// Curves of levels: every sample by itself through one function. Nothing is clipped: a function that is only defined
/// from 0 on is turned about the origin for samples below 0, f(-v) = -f(v). NaN stays. O(samples).
/// The call into a buffer may get the picture itself as that buffer.

#include <string>
#include <utility>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// v^exponent.
struct Gamma {
  Real exponent = 0.7F;  ///< 0.01 to 100; below 1 it brightens, above 1 it darkens
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Gamma>& d);
};

/// log(1 + strength v) / log(1 + strength): lifts the dark levels far more than the bright ones; 0 stays 0, 1 stays 1.
struct Logarithm {
  Real strength = 20;  ///< 0.001 to 1e6
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Logarithm>& d);
};

/// An S-shaped curve, steepest at `center`: (s(v) - s(0)) / (s(1) - s(0)) with s(v) = 1 / (1 + exp(-steepness (v -
/// center))). 0 stays 0 and 1 stays 1. Infinities become the ends of the curve.
struct Sigmoid {
  Real steepness = 6;  ///< 0.01 to 50; the slope in the middle is about a quarter of it
  Real center = 0.5F;  ///< level where it is steepest, 0..1
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Sigmoid>& d);
};

/// A smooth curve through points with rising levels: piecewise cubic, monotone wherever the points are; beyond the end
/// points it goes on straight with the slope it has there. Source: Fritsch and Carlson, "Monotone piecewise cubic
/// interpolation", SIAM J. Numer. Anal. 17, 1980 (slopes by the weighted harmonic mean of Fritsch and Butland, 1984).
class CurvePoints {
 public:
  /// The straight line from 0,0 to 1,1.
  CurvePoints() : CurvePoints(parse("0,0/1,1")) {}
  /// Points `from,to` split by `/` or by line ends, 2 to 256 of them, `from` rising. InvalidArgument with what is
  /// allowed.
  static CurvePoints parse(std::string_view text);
  /// The curve at a level.
  double operator()(double level) const;
  const std::string& text() const { return text_; }
  /// A point of the curve, and how steep it is there.
  struct Knot {
    double level;    ///< the sample, 0..1 scale
    double becomes;  ///< what it becomes, 0..1 scale
    double slope;    ///< of the curve there
  };
  /// All points, by rising level: between two of them the curve is the cubic that fits both, beyond the ends straight.
  std::vector<Knot> knots() const;

 private:
  std::string text_;
  std::vector<double> x_, y_, slope_;
  explicit CurvePoints(std::string text) : text_(std::move(text)) {}
};
template <>
struct TextValue<CurvePoints> {
  static std::string text(const CurvePoints& c) { return c.text(); }
  static CurvePoints parse(std::string_view s, const Resources& r);
  static const char* allowed();
};

/// Levels through a curve given by points.
struct Curve {
  CurvePoints points = {};
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Curve>& d);
};

/// v + amount.
struct Brightness {
  Real amount = 0.1F;  ///< -10 to 10
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Brightness>& d);
};

/// v times a number.
struct Gain {
  Real factor = 1.5F;  ///< -1000 to 1000; below 0 the result is signed, and float data
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Gain>& d);
};

/// pivot + factor (v - pivot).
struct Contrast {
  Real factor = 1.3F;  ///< -100 to 100; above 1 more contrast, below 1 less, below 0 inverted
  Real pivot = 0.5F;   ///< the level that stays
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Contrast>& d);
};

/// 1 - v: the negative.
struct Invert {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Invert>& d);
};

/// 1 - v for levels above `level`, the others as they are.
struct Solarize {
  Real level = 0.5F;  ///< levels above it are inverted
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Solarize>& d);
};

/// Display-encoded samples to light: v / 12.92 up to 0.04045, ((v + 0.055) / 1.055)^2.4 beyond (IEC 61966-2-1, sRGB).
struct Linearize {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Linearize>& d);
};

/// Light to display-encoded samples: the inverse of Linearize, to rounding.
struct Encode {
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Encode>& d);
};

}  // namespace sieve
