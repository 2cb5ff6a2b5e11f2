#pragma once
// Matrices of pictures, and the decompositions that the rooms above share.

#include <Eigen/Core>

#include "sieve/lowrank/svd.hpp"

namespace sieve::internal {

using Matrix = Eigen::MatrixXf;

// Rows as rows; several channels side by side.
Matrix matrix_of(const ConstView& in);
// Into a picture of as many channels.
void picture_of_matrix(const Matrix& m, const View& out);

Svd svd_of(const Matrix& m, int rank, SvdMethod method);
// The first `rank` terms.
Matrix product_of(const Svd& s, int rank);

}  // namespace sieve::internal
