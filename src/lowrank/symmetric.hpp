#pragma once
// Eigenvalues and vectors of large symmetric matrices, and singular values and vectors by way of them: with all
// threads, and so that a stop is heard within milliseconds. Sources: Golub and Van Loan, Matrix Computations, chapter 8
// (Householder tridiagonalization, implicit QR steps); Bowdler, Martin, Reinsch and Wilkinson, "The QR and QL
// algorithms for symmetric matrices", Numerische Mathematik 11, 1968.

#include <Eigen/Core>
#include <algorithm>

#include "sieve/core/parallel.hpp"

namespace sieve::internal {

// work(first column, columns) for all columns of a matrix, shared among threads; `work_a_column` multiplications are
// made for each. A stop is heard between the calls, so none takes more than some hundredths of a second.
template <class Work>
void each_columns(Eigen::Index columns, Eigen::Index work_a_column, Work work) {
  constexpr Eigen::Index kAtOnce = 200'000'000, kFew = 16, kMany = 128, kParts = 8;
  const Eigen::Index by_time = std::clamp(kAtOnce / std::max<Eigen::Index>(1, work_a_column), kFew, kMany),
                     wide = std::clamp((columns + kParts - 1) / kParts, std::min<Eigen::Index>(4, by_time), by_time);
  parallel_rows(
      static_cast<int>((columns + wide - 1) / wide), static_cast<std::size_t>(work_a_column * wide),
      [&](int first, int last) {
        for (Eigen::Index at = first * wide; at < std::min(last * wide, columns); at += wide)
          work(at, std::min(wide, columns - at));
      },
      1);
}

// The transpose, with all threads.
template <class M>
M turned(const M& m) {
  M r(m.cols(), m.rows());
  each_columns(r.cols(), r.rows(),
               [&](Eigen::Index at, Eigen::Index n) { r.middleCols(at, n) = m.middleRows(at, n).transpose(); });
  return r;
}

// a * b, or with `turn` the transpose of a times b.
template <class M>
M times(const M& a, const M& b, bool turn = false) {
  M r(turn ? a.cols() : a.rows(), b.cols());
  each_columns(b.cols(), a.size(), [&](Eigen::Index at, Eigen::Index n) {
    if (turn) {
      r.middleCols(at, n).noalias() = a.transpose() * b.middleCols(at, n);
    } else {
      r.middleCols(at, n).noalias() = a * b.middleCols(at, n);
    }
  });
  return r;
}

// The lower triangle of the transpose of a times a; what is above it is anything.
Eigen::MatrixXd gram(const Eigen::MatrixXd& a);

struct Eigensystem {
  Eigen::VectorXd values;   // in falling order
  Eigen::MatrixXd vectors;  // a column for each of the first ones that were asked for
};
// Of a symmetric matrix whose lower triangle is given, with the vectors of the `vectors` largest values. O(n^3).
Eigensystem eigensystem(Eigen::MatrixXd lower, Eigen::Index vectors);
// Its time and that of the products above, in multiplications of a product, for what counts its own progress.
double cost_of_eigensystem(Eigen::Index n, Eigen::Index vectors);
inline double cost_of_product(Eigen::Index rows, Eigen::Index inner, Eigen::Index columns) {
  return static_cast<double>(rows) * static_cast<double>(inner) * static_cast<double>(columns);
}
inline double cost_of_gram(Eigen::Index rows, Eigen::Index columns) {
  return 0.5 * cost_of_product(columns, rows, columns);
}

// The columns from `first` on are made orthonormal to each other and to those before, which are; columns that depend on
// others become any directions across them. The first of them keep their directions as far as can be.
template <class M>
void orthonormalize(M& columns, Eigen::Index first = 0);
extern template void orthonormalize(Eigen::MatrixXd&, Eigen::Index);
extern template void orthonormalize(Eigen::MatrixXf&, Eigen::Index);

struct ThinSvd {
  Eigen::VectorXd values;       // in falling order: all of them
  Eigen::MatrixXd left, right;  // a column for each of the first `rank`
};
// Small matrices exactly; from kByProduct on by the eigenvalues of the smaller product of the matrix with itself: there
// values below 1e-7 of the largest are rounding. O(rows columns^2).
inline constexpr Eigen::Index kByProduct = 160;
ThinSvd thin_svd(const Eigen::MatrixXd& m, Eigen::Index rank);

}  // namespace sieve::internal
