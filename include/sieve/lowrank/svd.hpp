#pragma once
/// The singular value decomposition of one channel as a matrix.

#include <cstddef>
#include <vector>

#include "sieve/core/attributes.hpp"
#include "sieve/describe/description.hpp"

namespace SIEVE_EXPORT sieve {

/// How singular values are reckoned.
enum class SvdMethod {
  automatic,   ///< randomized where the smaller side is above 256 and the rank asked for below an eighth of it
  exact,       ///< all of them, by bidiagonalization in double: O(rows * columns * smaller side)
  randomized,  ///< the first ones alone, from a random sketch: O(rows * columns * rank)
};
template <>
struct ChoiceNames<SvdMethod> {
  static std::span<const std::pair<const char*, SvdMethod>> all();
};

/// A matrix as sum over k of values[k] times column k of `left` times column k of `right`, transposed.
struct Svd {
  int rows = 0;                ///< of the matrix: the height
  int columns = 0;             ///< of the matrix: the width
  int rank = 0;                ///< terms at hand
  std::vector<double> values;  ///< not negative, the largest first; `rank` of them
  std::vector<float> left;     ///< orthonormal columns of `rows` numbers, one after the other
  std::vector<float> right;    ///< orthonormal columns of `columns` numbers
  double total = 0;            ///< sum of the squares of all samples, also of those that no term at hand holds

  /// The part of the energy (the sum of squares) that the first k terms hold, 0 to 1; k counts from 1. InvalidArgument
  /// for k outside 1..rank.
  double energy(int k) const;
  /// How many numbers the first k terms take: k (rows + columns + 1). InvalidArgument for k outside 1..rank.
  std::size_t numbers(int k) const;
  /// The same in bytes, as 32-bit floats; pack() takes fewer. InvalidArgument for k outside 1..rank.
  std::size_t bytes(int k) const { return 4 * numbers(k); }
};

/// The first `rank` singular values and vectors of a one-channel picture, rows as rows; rank 0 means all. Randomized: a
/// Gaussian sketch of rank + 10 columns (always the same numbers), three power iterations, each made orthonormal; the
/// spectral error is then expected to be at most (1 + sqrt(rank / 9) + e sqrt(rank + 10) / 10 sqrt(smaller side))^(1/7)
/// times the best possible, which is the value after the last kept one; seldom more than two percent above it in fact.
/// InvalidArgument for more than one channel, samples that are not finite, or rank above the smaller side. Sources:
/// Golub and Van Loan, "Matrix Computations", 8.6; Halko, Martinsson and Tropp, SIAM Review 53, 2011, algorithm 4.4 and
/// theorem 10.9.
[[nodiscard]] Svd svd(const ConstView& channel, int rank = 0, SvdMethod method = SvdMethod::automatic);

/// The picture of the first `rank` terms: rows x columns. InvalidArgument for a rank above those at hand.
[[nodiscard]] Image picture_of(const Svd& svd, int rank);

/// How far the first singular values go.
struct RankShares {
  std::vector<double> values;  ///< all singular values
  std::vector<double> sums;    ///< running sum of the values over their sum; entry k - 1 for k terms
  std::vector<double> energy;  ///< running sum of their squares over the sum of squares; entry k - 1 for k terms
  /// The fewest whose running sum (or energy) reaches a share of 0 to 1.
  int rank_for(double share, bool of_energy) const;
};
/// Of one channel; exact, O(rows * columns * smaller side). InvalidArgument as svd.
[[nodiscard]] RankShares rank_shares(const ConstView& channel);

}  // namespace sieve
