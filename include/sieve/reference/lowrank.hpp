#pragma once
/// Plain definitions of low rank and principal components.

#include "sieve/core/image.hpp"

namespace sieve::reference {

/// The first `rank` terms of the singular value decomposition of a one-channel picture, by one-sided Jacobi rotations:
/// the columns are turned in pairs until all are orthogonal; their lengths are the singular values. Source: Golub and
/// Van Loan, "Matrix Computations", 8.6.3.
Image low_rank(const ConstView& channel, int rank);
/// The first `components` principal components of the rows (side 0) or of patches of side x side, by Jacobi rotations
/// of the covariance matrix. Source: Golub and Van Loan, 8.5.
Image principal(const ConstView& in, int side, int components);

}  // namespace sieve::reference
