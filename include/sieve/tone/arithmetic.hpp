#pragma once
/// Arithmetic with a second picture of the same size (gray, or with the same channels). Nothing is clipped. Alpha is
/// the first picture's, and the call into a buffer may get that picture itself as the buffer. What leaves 0..1 by its
/// nature (a sum, a difference, a ratio) is float data. InvalidArgument where the second picture is missing or does not
/// fit. O(samples).

#include <string>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/shared_image.hpp"

namespace SIEVE_EXPORT sieve {

/// in + with.
struct Add {
  SharedImage with = {};  ///< the second picture: of the same size, and gray or with the same channels
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Add>& d);
};

/// in - with, signed.
struct Subtract {
  SharedImage with = {};  ///< the second picture: of the same size, and gray or with the same channels
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Subtract>& d);
};

/// in * with.
struct Multiply {
  SharedImage with = {};  ///< the second picture: of the same size, and gray or with the same channels
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Multiply>& d);
};

/// in / with, where |with| is at least `least`; elsewhere in / least with the sign of with, so that nothing divides by
/// zero.
struct Divide {
  SharedImage with = {};  ///< the second picture: of the same size, and gray or with the same channels
  Real least = 0.001F;    ///< smallest size of a divisor, above 0
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Divide>& d);
};

/// (1 - share) * in + share * with.
struct Blend {
  SharedImage with = {};  ///< the second picture: of the same size, and gray or with the same channels
  Real share = 0.5F;      ///< of the second picture, 0..1
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<Blend>& d);
};

/// |in - with|.
struct AbsoluteDifference {
  SharedImage with = {};  ///< the second picture: of the same size, and gray or with the same channels
  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<AbsoluteDifference>& d);
};

}  // namespace sieve
