#pragma once
/// Faults of cameras and lines that follow a rule.

#include <cstdint>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// Adds amplitude * sin(2 pi (distance / period) + phase): periodic stripes, as from mains hum. The distance runs
/// along `angle`. Cost O(samples).
struct PeriodicNoise {
  Real angle = 90;        ///< degrees, the direction across the stripes: 0 gives upright stripes, 90 lying ones
  Real period = 8;        ///< pixels from stripe to stripe, above 0
  Real amplitude = 0.1F;  ///< 0..1 scale
  Real phase = 0;         ///< degrees, at the pixel 0,0

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<PeriodicNoise>& d);
};

/// Whole rows or columns at one level, in all color channels, as from a broken sensor line.
struct DeadLines {
  enum class Along { columns, rows };
  Along along = Along::columns;  ///< rows or columns
  Real share = 0.01F;            ///< probability of each line, 0..1
  Real level = 0;                ///< the sample that stands on a dead line
  Seed seed = 1;                 ///< of the random stream

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<DeadLines>& d);
};

template <>
struct ChoiceNames<DeadLines::Along> {
  static std::span<const std::pair<const char*, DeadLines::Along>> all();
};

/// Rounds to the nearest of 2^bits levels in 0..1 (half away from zero), clipping what lies outside: what a converter
/// of few bits does.
struct Quantize {
  int bits = 4;  ///< 1 to 16

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Quantize>& d);
};

/// Light that falls off from the center: times 1 - strength * (r / corner)^2 with r the distance from the center.
struct Vignette {
  Real strength = 0.6F;  ///< share of the light lost in the corners, 0..1

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Vignette>& d);
};

}  // namespace sieve
