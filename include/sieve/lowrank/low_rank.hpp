#pragma once
/// The picture of low rank.

#include <optional>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/stage.hpp"
#include "sieve/lowrank/svd.hpp"

namespace SIEVE_EXPORT sieve {

/// The nearest picture of a rank, by truncated singular values (Eckart and Young, 1936): each channel by itself, the
/// channels side by side as one wide matrix, or the luma at the rank and two color differences at a quarter of it. A
/// note tells how many numbers that is. NaN and infinities count as 0 and stay. O(pixels * rank), or times the smaller
/// side where exact.
struct LowRank {
  /// How color is put into matrices.
  enum class Color {
    channels,  ///< each channel by itself
    wide,      ///< side by side: rows in common
    luma,      ///< luma at the rank, blue and red less luma at a quarter of it
  };
  int rank = 20;                            ///< terms kept, 1 to 65536; more than there are keeps all
  Color color = Color::channels;            ///< how color is put into matrices
  SvdMethod method = SvdMethod::automatic;  ///< exact or randomized

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<LowRank>& d);
};
template <>
struct ChoiceNames<LowRank::Color> {
  static std::span<const std::pair<const char*, LowRank::Color>> all();
};

}  // namespace sieve
