#include "lowrank/symmetric.hpp"

#include <Eigen/QR>
#include <algorithm>
#include <cmath>
#include <limits>
#include <numeric>
#include <optional>
#include <vector>

#include "core/index.hpp"
#include "lowrank/symmetric_lanes.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/random.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

using Eigen::Index;
using Eigen::MatrixXd;
using Eigen::VectorXd;

namespace {

// A = Q T Q': T's diagonals, and the Householder vectors of Q below those of `vectors`.
struct Tridiagonal {
  MatrixXd vectors;
  VectorXd factors, diagonal, below;
};

// One reflection after the other. The change that one makes to the rest of the matrix is worked in together with the
// product for the next one, in one pass through memory.
Tridiagonal tridiagonal(MatrixXd a) {
  // Groups of columns, the same for any number of threads: so are the sums.
  constexpr Index kGroups = 16;
  const Index n = a.rows();
  Tridiagonal t{{}, VectorXd::Zero(n), VectorXd(n), VectorXd::Zero(n)};
  VectorXd u = VectorXd::Zero(n), v = u, w = u;  // this reflection; the change that is still to be made: v w' + w v'
  MatrixXd products(n, kGroups);
  Progress progress(static_cast<double>(n) * static_cast<double>(n) * static_cast<double>(n) / 3);
  for (Index k = 0; k < n; ++k) {
    checkpoint();
    const Index m = n - k - 1;
    a.col(k).tail(m + 1) -= v.tail(m + 1) * w(k) + w.tail(m + 1) * v(k);
    t.diagonal(k) = a(k, k);
    if (m == 0) break;
    auto x = a.col(k).tail(m);
    const double rest = m > 1 ? x.tail(m - 1).norm() : 0, head = x(0);
    u.head(k + 1).setZero();
    if (rest == 0) {
      t.below(k) = head;
      u.tail(m).setZero();
    } else {
      const double beta = head > 0 ? -std::hypot(head, rest) : std::hypot(head, rest);
      x.tail(m - 1) /= head - beta;
      t.factors(k) = (beta - head) / beta;
      t.below(k) = beta;
      u(k + 1) = 1;
      u.tail(m - 1) = x.tail(m - 1);
    }
    const double work = static_cast<double>(m) * static_cast<double>(m);
    progress.expect(work);
    parallel_rows(
        kGroups, RowCost(index(m), static_cast<int>(std::min<Index>(1 << 20, m / 4 + 1))),
        [&](int first, int last) {
          for (Index g = first; g < last; ++g) {
            auto product = products.col(g);
            product.tail(m).setZero();
            for (Index j = k + 1 + g; j < n; j += kGroups) {
              a(j, j) -= 2 * v(j) * w(j);
              product(j) += a(j, j) * u(j);
              const lanes::RankTwo r{&v(j) + 1, &w(j) + 1, &u(j) + 1, v(j), w(j), u(j)};
              product(j) += lanes::update_column(r, &a(j, j) + 1, &product(j) + 1, index(n - j - 1));
            }
          }
        },
        1);
    progress.add(work);
    v = u;
    w.tail(m) = t.factors(k) * products.bottomRows(m).rowwise().sum();
    w.tail(m) -= 0.5 * t.factors(k) * w.tail(m).dot(u.tail(m)) * u.tail(m);
  }
  t.vectors = std::move(a);
  return t;
}

// The rotations of several QR steps, done to the eigenvectors of the tridiagonal matrix when enough have come together.
class Rotations {
 public:
  explicit Rotations(Index n)
      : n_(index(n)),
        panels_((n_ + lanes::kPanelRows - 1) / lanes::kPanelRows),
        vectors_(panels_ * n_ * lanes::kPanelRows) {
    for (std::size_t i = 0; i < n_; ++i) at(i, i) = 1;
  }
  void begin() { sweeps_.push_back({0, 0, cosines_.size()}); }
  // Of columns i and i + 1; from one to the next i falls by one.
  void add(Index i, double cosine, double sine) {
    cosines_.push_back(cosine);
    sines_.push_back(sine);
    sweeps_.back().first = index(i);
    ++sweeps_.back().count;
  }
  void end() {
    constexpr std::size_t kTogether = 48;  // sweeps
    if (cosines_.size() > kTogether * n_) flush();
  }
  void flush() {
    parallel_rows(
        static_cast<int>(panels_), std::max<std::size_t>(1, cosines_.size() * lanes::kPanelRows),
        [&](int first, int last) {
          for (auto p = static_cast<std::size_t>(first); p < static_cast<std::size_t>(last); ++p) {
            for (const Sweep& s : sweeps_)
              lanes::rotate_columns(cosines_.data() + s.at, sines_.data() + s.at, s.first, s.count,
                                    &vectors_[p * n_ * lanes::kPanelRows]);
          }
        },
        1);
    sweeps_.clear();
    cosines_.clear();
    sines_.clear();
  }
  double& at(std::size_t row, std::size_t column) {
    return vectors_[(row / lanes::kPanelRows * n_ + column) * lanes::kPanelRows + row % lanes::kPanelRows];
  }

 private:
  struct Sweep {
    std::size_t first, count, at;
  };
  std::size_t n_, panels_;
  std::vector<double> vectors_;  // rows in panels
  std::vector<Sweep> sweeps_;
  std::vector<double> cosines_, sines_;
};

// The diagonal becomes the eigenvalues, in no order; `rotations` may be null.
void find_values(VectorXd& d, VectorXd& e, Rotations* rotations) {
  constexpr int kMostSteps = 80;
  constexpr double kRounding = std::numeric_limits<double>::epsilon();
  const Index n = d.size();
  // What is smaller is rounding of the largest numbers; among such alone, steps might not end.
  const double least = 0.1 * (d.cwiseAbs().maxCoeff() + e.cwiseAbs().maxCoeff());
  Progress progress(static_cast<double>(n));
  for (Index l = 0; l < n; ++l) {
    for (int step = 0;; ++step) {
      Index m = l;
      while (m + 1 < n && std::abs(e(m)) > kRounding * std::max(least, std::abs(d(m)) + std::abs(d(m + 1)))) ++m;
      if (m == l) break;
      if (step == kMostSteps) throw Error("eigenvalues: no convergence; the matrix has numbers that are not finite");
      checkpoint();
      if (rotations != nullptr) rotations->begin();
      double g = (d(l + 1) - d(l)) / (2 * e(l)), r = std::hypot(g, 1.0), s = 1, c = 1, p = 0;
      g = d(m) - d(l) + e(l) / (g + std::copysign(r, g));
      Index i = m - 1;
      for (; i >= l; --i) {
        const double f = s * e(i), b = c * e(i);
        r = std::hypot(f, g);
        e(i + 1) = r;
        if (r == 0) {
          d(i + 1) -= p;
          e(m) = 0;
          break;
        }
        s = f / r;
        c = g / r;
        g = d(i + 1) - p;
        r = (d(i) - g) * s + 2 * c * b;
        p = s * r;
        d(i + 1) = g + p;
        g = c * r - b;
        if (rotations != nullptr) rotations->add(i, c, s);
      }
      if (i < l) {
        d(l) -= p;
        e(l) = g;
        e(m) = 0;
      }
      if (rotations != nullptr) rotations->end();
    }
    progress.add(1);
  }
  if (rotations != nullptr) rotations->flush();
}

// x becomes Q x, by blocks of reflections: I - V T V' (Schreiber and Van Loan, 1989).
void reflect(const Tridiagonal& t, MatrixXd& x) {
  constexpr Index kBlock = 48;
  const Index n = x.rows(), count = n - 1;
  Progress progress(static_cast<double>(count) * static_cast<double>(count));
  for (Index end = count; end > 0;) {
    checkpoint();
    const Index from = std::max<Index>(0, (end - 1) / kBlock * kBlock), b = end - from, m = n - 1 - from;
    MatrixXd v = t.vectors.block(from + 1, from, m, b), factor = MatrixXd::Zero(b, b);
    for (Index j = 0; j < b; ++j) {
      v.col(j).head(j).setZero();
      v(j, j) = 1;
      factor(j, j) = t.factors(from + j);
      factor.col(j).head(j) =
          -factor(j, j) * (factor.topLeftCorner(j, j) * (v.leftCols(j).transpose() * v.col(j))).eval();
    }
    progress.expect(2.0 * static_cast<double>(m) * static_cast<double>(b));
    each_columns(x.cols(), 2 * m * b, [&](Index at, Index columns) {
      auto part = x.block(from + 1, at, m, columns);
      const MatrixXd inner = factor * (v.transpose() * part);
      part.noalias() -= v * inner;
    });
    progress.add(2.0 * static_cast<double>(m) * static_cast<double>(b));
    end = from;
  }
}

}  // namespace

MatrixXd gram(const MatrixXd& a) {
  const Index n = a.cols();
  MatrixXd g(n, n);
  each_columns(n, a.size(), [&](Index at, Index columns) {
    g.block(at, at, n - at, columns).noalias() = a.rightCols(n - at).transpose() * a.middleCols(at, columns);
  });
  return g;
}

namespace {
// Measured against products of matrices.
double cost_of_tridiagonal(Index n) { return 0.6 * cost_of_product(n, n, n); }
double cost_of_rotations(Index n) { return 0.8 * cost_of_product(n, n, n); }
}  // namespace

double cost_of_eigensystem(Index n, Index vectors) {
  return cost_of_tridiagonal(n) + (vectors > 0 ? cost_of_rotations(n) + cost_of_product(n, n, vectors) : 0);
}

Eigensystem eigensystem(MatrixXd lower, Index vectors) {
  const Index n = lower.rows();
  Progress progress(cost_of_eigensystem(n, vectors));
  progress.expect(cost_of_tridiagonal(n));
  Tridiagonal t = tridiagonal(std::move(lower));
  progress.add(cost_of_tridiagonal(n));
  std::optional<Rotations> rotations;
  if (vectors > 0) rotations.emplace(n);
  if (vectors > 0) progress.expect(cost_of_rotations(n));
  find_values(t.diagonal, t.below, rotations ? &*rotations : nullptr);
  if (vectors > 0) progress.add(cost_of_rotations(n));
  std::vector<Index> order(index(n));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return t.diagonal(a) > t.diagonal(b); });
  Eigensystem all{VectorXd(n), MatrixXd(n, vectors)};
  for (Index k = 0; k < n; ++k) all.values(k) = t.diagonal(order[index(k)]);
  progress.expect(cost_of_product(n, n, vectors));
  each_columns(vectors, n, [&](Index at, Index columns) {
    for (Index k = at; k < at + columns; ++k) {
      for (Index i = 0; i < n; ++i) all.vectors(i, k) = rotations->at(index(i), index(order[index(k)]));
    }
  });
  reflect(t, all.vectors);
  return all;
}

template <class M>
void orthonormalize(M& columns, Index first) {
  using Number = typename M::Scalar;
  constexpr Index kTogether = 64;
  // Where little is left of a column, that is rounding in part: made unit it is taken off the others once more. Of what
  // is rounding alone, nothing says that it lies across the others ever: any direction stands for it.
  constexpr Number kMuch = Number(0.5);
  const Number nothing =
      8 * std::numeric_limits<Number>::epsilon() * std::sqrt(static_cast<Number>(std::max<Index>(1, columns.rows())));
  for (Index at = first; at < columns.cols(); at += kTogether) {
    const Index n = std::min(kTogether, columns.cols() - at);
    M part = columns.middleCols(at, n);
    const auto any_direction = [&](Index k, int round) {
      const RandomStream random(21, static_cast<std::uint64_t>(round));
      for (Index i = 0; i < part.rows(); ++i)
        part(i, k) = static_cast<Number>(random.normal(index((at + k) * part.rows() + i)));
      part.col(k).normalize();
    };
    for (Index k = 0; k < n; ++k) {
      if (const Number length = part.col(k).norm(); length > 0) {
        part.col(k) /= length;
      } else {
        any_direction(k, 0);
      }
    }
    Number least = 0;
    for (int round = 1; least < kMuch && round <= 6; ++round) {
      checkpoint();
      if (at > 0) {
        const M before = columns.leftCols(at);
        part -= times(before, times(before, part, true));
      }
      const Eigen::HouseholderQR<M> qr(part);
      const auto diagonal = qr.matrixQR().diagonal();
      least = diagonal.cwiseAbs().minCoeff();
      part = qr.householderQ() * M::Identity(part.rows(), n);
      for (Index k = 0; k < n; ++k) {
        if (std::abs(diagonal(k)) <= nothing) {
          any_direction(k, round);
        } else if (diagonal(k) < 0) {  // the factorization may turn a direction about
          part.col(k) = -part.col(k);
        }
      }
    }
    columns.middleCols(at, n) = part;
  }
}
template void orthonormalize(Eigen::MatrixXd&, Index);
template void orthonormalize(Eigen::MatrixXf&, Index);

namespace {

// Columns p and q become (p, q) [c s; -s c].
void rotate(MatrixXd& m, Index p, Index q, double c, double s) {
  double *a = m.col(p).data(), *b = m.col(q).data();
  for (Index i = 0; i < m.rows(); ++i) {
    const double x = a[i], y = b[i];
    a[i] = c * x - s * y;
    b[i] = s * x + c * y;
  }
}

// Beside a column of such a length, what is shorter than this is rounding.
double rounding_of(double longest, Index columns) {
  return static_cast<double>(columns) * std::numeric_limits<double>::epsilon() * longest;
}

// Turns the columns of g about until each is orthogonal to all others, but for those that are rounding, and those of
// `turns` with them (Hestenes 1958; the longest first: de Rijk 1989).
void rotate_until_orthogonal(MatrixXd& g, MatrixXd& turns) {
  constexpr int kMostSweeps = 40;
  const Index n = g.cols();
  const double close = 8 * std::numeric_limits<double>::epsilon() * std::sqrt(static_cast<double>(n));
  bool turned = true;
  for (int sweep = 0; sweep < kMostSweeps && turned; ++sweep) {
    checkpoint();
    turned = false;
    VectorXd squares = g.colwise().squaredNorm();
    for (Index p = 0; p < n; ++p) {
      Index longest = p;
      for (Index q = p + 1; q < n; ++q) {
        if (squares(q) > squares(longest)) longest = q;
      }
      if (longest != p) {
        std::swap(squares(p), squares(longest));
        g.col(p).swap(g.col(longest));
        if (turns.size() > 0) turns.col(p).swap(turns.col(longest));
      }
      if (std::sqrt(std::max(0.0, squares(p))) <= rounding_of(std::sqrt(squares(0)), n)) break;
      for (Index q = p + 1; q < n; ++q) {
        const double product = g.col(p).dot(g.col(q));
        const double lengths = std::sqrt(std::max(0.0, squares(p))) * std::sqrt(std::max(0.0, squares(q)));
        if (std::abs(product) <= close * lengths) continue;
        turned = true;
        const double ratio = (squares(q) - squares(p)) / (2 * product);
        const double t = std::copysign(1.0, ratio) / (std::abs(ratio) + std::hypot(1.0, ratio));
        const double c = 1 / std::hypot(1.0, t);
        rotate(g, p, q, c, c * t);
        if (turns.size() > 0) rotate(turns, p, q, c, c * t);
        squares(p) -= t * product;
        squares(q) += t * product;
      }
    }
  }
}

// To the last bits, for matrices of at least as many rows as columns. What is rotated are the rows of the triangle of a
// QR factorization, which are orthogonal after fewer sweeps than the columns (Drmac and Veselic, 2008).
ThinSvd svd_by_rotations(const MatrixXd& m, Index rank) {
  const Index n = m.cols();
  const double largest = m.cwiseAbs().maxCoeff(), scale = largest > 0 ? largest : 1;
  const Eigen::HouseholderQR<MatrixXd> qr(m / scale);
  MatrixXd g = MatrixXd::Zero(n, n), turns = MatrixXd::Identity(n, rank > 0 ? n : 0);
  for (Index k = 0; k < n; ++k) g.col(k).tail(n - k) = qr.matrixQR().row(k).tail(n - k).transpose();
  rotate_until_orthogonal(g, turns);
  const VectorXd lengths = g.colwise().norm();
  std::vector<Index> order(index(n));
  std::iota(order.begin(), order.end(), 0);
  std::stable_sort(order.begin(), order.end(), [&](Index a, Index b) { return lengths(a) > lengths(b); });
  ThinSvd s{VectorXd(n), MatrixXd::Zero(m.rows(), rank), MatrixXd::Zero(n, rank)};
  for (Index k = 0; k < n; ++k) s.values(k) = scale * lengths(order[index(k)]);
  if (rank == 0) return s;
  Index sound = 0;
  for (Index k = 0; k < rank; ++k) {
    const Index from = order[index(k)];
    s.left.col(k).head(n) = turns.col(from);
    const double length = lengths(from);
    if (length > rounding_of(lengths(order[0]), n)) {
      s.right.col(k) = g.col(from) / length;
      sound = k + 1;
    }
  }
  s.left = qr.householderQ() * s.left;
  orthonormalize(s.right, sound);
  return s;
}

}  // namespace

ThinSvd thin_svd(const MatrixXd& m, Index rank) {
  // Below that share of the largest value, what a product's vectors give is not yet orthogonal.
  constexpr double kSmall = 1e-5;
  if (m.rows() < m.cols()) {
    ThinSvd s = thin_svd(turned(m), rank);
    std::swap(s.left, s.right);
    return s;
  }
  if (m.cols() < kByProduct) return svd_by_rotations(m, rank);
  const double gram_cost = cost_of_gram(m.rows(), m.cols()), eigen_cost = cost_of_eigensystem(m.cols(), rank),
               product_cost = cost_of_product(m.rows(), m.cols(), rank);
  Progress progress(gram_cost + eigen_cost + product_cost);
  progress.expect(gram_cost);
  MatrixXd product = gram(m);
  progress.add(gram_cost);
  progress.expect(eigen_cost);
  Eigensystem e = eigensystem(std::move(product), rank);
  progress.add(eigen_cost);
  ThinSvd s{e.values.cwiseMax(0).cwiseSqrt(), {}, std::move(e.vectors)};
  if (rank == 0) return s;
  // The lengths of the products are nearer to the values than the roots are.
  progress.expect(product_cost);
  s.left = times(m, s.right);
  for (Index k = 0; k < rank; ++k) s.values(k) = s.left.col(k).norm();
  Index large = 0;
  while (large < rank && s.values(large) > kSmall * s.values(0)) {
    s.left.col(large) /= s.values(large);
    ++large;
  }
  orthonormalize(s.left, large);
  return s;
}

}  // namespace sieve::internal
