#pragma once
/// Principal components of the rows or patches of a picture.

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"
#include "sieve/describe/stage.hpp"

namespace SIEVE_EXPORT sieve {

/// Principal components of observations: each is mean plus the sum of its coordinates times the components.
struct Principal {
  int observations = 0;            ///< how many there are
  int length = 0;                  ///< numbers in each
  int components = 0;              ///< at hand
  std::vector<float> mean;         ///< `length` numbers
  std::vector<float> axes;         ///< orthonormal, component after component, each of `length` numbers
  std::vector<float> coordinates;  ///< observation after observation, each of `components` numbers
  std::vector<double>
      variance;  ///< of the observations along each component, the largest first (mean square, divided by observations)
  double total = 0;  ///< variance over all directions
  /// The part of the variance (the energy about the mean) along the first k components, 0 to 1; k counts from 1.
  /// InvalidArgument for k outside 1..components.
  double energy(int k) const;
  /// How many numbers the first k components take: k (length + observations) and the mean. InvalidArgument for k
  /// outside 1..components.
  std::size_t numbers(int k) const;
  /// The same in bytes, as 32-bit floats; pack() takes fewer. InvalidArgument for k outside 1..components.
  std::size_t bytes(int k) const { return 4 * numbers(k); }
};

/// Rows as observations: `length` is width times color channels, the channels of a row one after the other.
/// `components` 0 means all, at most the smaller of rows and length. Samples that are not finite are refused
/// (InvalidArgument). Source: Jolliffe, "Principal Component Analysis", 2002. O(samples * smaller of rows and length).
[[nodiscard]] Principal principal_rows(const ConstView& in, int components = 0);
/// The picture of the first k components, without alpha; `shape` is that of the picture they came from. InvalidArgument
/// for another shape, or for k outside 1 to those at hand. O(samples * k).
[[nodiscard]] Image picture_of_rows(const Principal& p, const Shape& shape, int k);

/// Patches of side x side pixels of all color channels as observations, left to right and top to bottom; the border
/// samples are repeated where patches reach beyond. `side` 2 to 32. InvalidArgument as principal_rows. O(samples *
/// side^2).
[[nodiscard]] Principal principal_patches(const ConstView& in, int side = 8, int components = 0);
/// The picture of the first k components; as picture_of_rows, with the side of the patches.
[[nodiscard]] Image picture_of_patches(const Principal& p, const Shape& shape, int side, int k);

/// What a few principal components keep of a picture: of its rows (color rows as one), or of patches. `share` takes as
/// many components as explain that part of the variance and stands for `components`. A note tells how many, what they
/// explain, and how many numbers that is. NaN and infinities count as 0 and stay. Costs as principal_rows and
/// principal_patches.
struct PrincipalComponents {
  /// What is an observation.
  enum class Of {
    rows,     ///< each row, all colors of it as one
    patches,  ///< each square of side x side pixels, all colors of it as one
  };
  Of of = Of::patches;              ///< rows, or patches of side x side
  int components = 20;              ///< 1 to 65536; more than there are keeps all
  std::optional<float> share = {};  ///< of the variance, 0 to 1; auto: components says
  int side = 8;                     ///< of a patch, 2 to 32

  [[nodiscard]] Image operator()(const ConstView& in) const;
  void operator()(const ConstView& in, const View& out) const;
  static void describe(Description<PrincipalComponents>& d);
};
template <>
struct ChoiceNames<PrincipalComponents::Of> {
  static std::span<const std::pair<const char*, PrincipalComponents::Of>> all();
};

}  // namespace sieve
