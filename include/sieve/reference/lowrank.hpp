#pragma once
/// Plain definitions of low rank and principal components.

#include <optional>

#include "sieve/core/attributes.hpp"
#include "sieve/core/image.hpp"

namespace SIEVE_EXPORT sieve {
namespace reference {

/// The first `rank` terms of the singular value decomposition of a one-channel picture, by one-sided Jacobi rotations:
/// the columns are turned in pairs until all are orthogonal; their lengths are the singular values. Source: Golub and
/// Van Loan, "Matrix Computations", 8.6.3.
[[nodiscard]] Image low_rank(const ConstView& channel, int rank);
/// The first `components` principal components of the rows (side 0) or of patches of side x side, by Jacobi rotations
/// of the covariance matrix; with `share` as many as hold that share of the variance. Source: Golub and Van Loan, 8.5.
[[nodiscard]] Image principal(const ConstView& in, int side, int components, std::optional<double> share = {});

}  // namespace reference
}  // namespace sieve
