#pragma once
/// The light of a scene guessed from the picture itself, and taken out.

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How the background is guessed.
enum class BackgroundBy {
  gaussian,    ///< a large Gaussian: simple, follows large objects
  opening,     ///< opening (bright objects) or closing (dark objects), then smoothed by a Gaussian of half the radius
  polynomial,  ///< a surface of low degree by least squares, robust against objects
};
template <>
struct ChoiceNames<BackgroundBy> {
  static std::span<const std::pair<const char*, BackgroundBy>> all();
};

/// What stands out from the background.
enum class ObjectTone { bright, dark };
template <>
struct ChoiceNames<ObjectTone> {
  static std::span<const std::pair<const char*, ObjectTone>> all();
};

/// How the background is taken out.
enum class BackgroundRemoval {
  divide,    ///< in / background * mean background: for light, which multiplies
  subtract,  ///< in - background + mean background: for haze and stray light, which add
};
template <>
struct ChoiceNames<BackgroundRemoval> {
  static std::span<const std::pair<const char*, BackgroundRemoval>> all();
};

/// The background of a picture, every color channel by itself. polynomial: x^i y^j with i + j <= degree, on coordinates
/// -1..1, fitted to the means of at most 64 x 64 equal blocks with Tukey's biweight (the scale from the median absolute
/// residual, 12 rounds), so that objects over less than about a third of the picture do not pull it. Samples that are
/// not finite are left out, and a note tells their number. Sources: Gonzalez and Woods, 4th ed., 9.6 (opening); Huber
/// and Ronchetti, Robust Statistics, 2009. O(pixels).
struct Background {
  BackgroundBy by = BackgroundBy::gaussian;  ///< how the background is found
  Real sigma = 50;                           ///< of the Gaussian in pixels, 1 to 500
  Real radius = 20;  ///< with by=opening: half-width in pixels, wider than the objects, 1 to 2047
  int degree = 2;    ///< with by=polynomial: 1 to 4
  ObjectTone objects = ObjectTone::bright;  ///< with by=opening: what stands out
  Border border = Border::mirror;           ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Background>& d);
};

/// Takes a guessed background out of the picture; the mean level is kept. Fields as in Background. Where the guess is
/// under 1/20 of its mean it is held there, so that nothing grows more than 20 times, and a note tells how many samples
/// that are; of a mean of 0 nothing is divided. Samples that are not finite stay. Tells flatness before and after in a
/// note. O(pixels).
struct Flatten {
  BackgroundBy by = BackgroundBy::gaussian;  ///< how the background is found
  Real sigma = 50;                           ///< of the Gaussian in pixels, 1 to 500
  Real radius = 20;  ///< with by=opening: half-width in pixels, wider than the objects, 1 to 2047
  int degree = 2;    ///< with by=polynomial: 1 to 4
  ObjectTone objects = ObjectTone::bright;            ///< with by=opening: what stands out
  BackgroundRemoval how = BackgroundRemoval::divide;  ///< light multiplies, haze adds
  Border border = Border::mirror;                     ///< edge, mirror, reflect or wrap

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Flatten>& d);
};

}  // namespace sieve
