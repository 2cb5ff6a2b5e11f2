#include "sieve/lowrank/svd.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <utility>

#include "lowrank/matrix.hpp"
#include "lowrank/symmetric.hpp"
#include "sieve/core/random.hpp"
#include "sieve/core/watch.hpp"

namespace sieve {

using namespace internal;

std::span<const std::pair<const char*, SvdMethod>> ChoiceNames<SvdMethod>::all() {
  static constexpr std::pair<const char*, SvdMethod> names[] = {
      {"automatic", SvdMethod::automatic}, {"exact", SvdMethod::exact}, {"randomized", SvdMethod::randomized}};
  return names;
}

Matrix internal::matrix_of(const ConstView& in) {
  Matrix m(in.height(), in.width() * in.shape.channels);
  for (int c = 0; c < in.shape.channels; ++c) {
    each_columns(in.width(), in.height(), [&](Eigen::Index at, Eigen::Index n) {
      for (int y = 0; y < in.height(); ++y) {
        for (auto x = static_cast<int>(at); x < at + n; ++x) m(y, c * in.width() + x) = in.at(x, y, c);
      }
    });
  }
  return m;
}

void internal::picture_of_matrix(const Matrix& m, const View& out) {
  for (int c = 0; c < out.shape.channels; ++c) {
    each_columns(out.width(), out.height(), [&](Eigen::Index at, Eigen::Index n) {
      for (int y = 0; y < out.height(); ++y) {
        for (auto x = static_cast<int>(at); x < at + n; ++x) out.at(x, y, c) = m(y, c * out.width() + x);
      }
    });
  }
}

namespace {

Svd filled(int rows, int columns, int rank, const ThinSvd& d) {
  Svd s{rows, columns, rank, {}, {}, {}, 0};
  for (int k = 0; k < rank; ++k) {
    s.values.push_back(std::max(0.0, d.values(k)));
    for (int i = 0; i < rows; ++i) s.left.push_back(static_cast<float>(d.left(i, k)));
    for (int i = 0; i < columns; ++i) s.right.push_back(static_cast<float>(d.right(i, k)));
  }
  return s;
}

Svd exact(const Matrix& m, int rank) {
  return filled(static_cast<int>(m.rows()), static_cast<int>(m.cols()), rank, thin_svd(m.cast<double>(), rank));
}

Svd randomized(const Matrix& m, int rank) {
  constexpr int kMore = 10, kPowers = 3;
  const int width = std::min(static_cast<int>(std::min(m.rows(), m.cols())), rank + kMore);
  Matrix q(m.cols(), width);
  const RandomStream random(20);
  for (Eigen::Index i = 0; i < q.size(); ++i)
    q.data()[i] = static_cast<float>(random.normal(static_cast<std::uint64_t>(i)));
  // A basis of the range of m and one of its rows, in turns, each from the other.
  Progress progress(2 * kPowers + 2);
  for (int i = 0; i <= 2 * kPowers; ++i) {
    q = times(m, q, i % 2 == 1);
    orthonormalize(q);
    progress.add(1);
  }
  // q holds an orthonormal basis of the range of m, so m is nearly q q' m; the product q' m has few rows, and its exact
  // decomposition is cheap.
  ThinSvd d = thin_svd(times(m, q, true).cast<double>(), rank);
  d.left = (q.cast<double>() * std::exchange(d.right, d.left)).eval();
  return filled(static_cast<int>(m.rows()), static_cast<int>(m.cols()), rank, d);
}

}  // namespace

Svd internal::svd_of(const Matrix& m, int rank, SvdMethod method) {
  const int side = static_cast<int>(std::min(m.rows(), m.cols()));
  if (rank == 0) rank = side;
  const bool sketch =
      method == SvdMethod::randomized || (method == SvdMethod::automatic && side > 256 && rank < side / 8);
  Svd s = sketch ? randomized(m, rank) : exact(m, rank);
  s.total = m.cast<double>().squaredNorm();
  return s;
}

Matrix internal::product_of(const Svd& s, int rank) {
  const Eigen::Map<const Matrix> left(s.left.data(), s.rows, s.rank), right(s.right.data(), s.columns, s.rank);
  Matrix scaled = left.leftCols(rank);
  for (int k = 0; k < rank; ++k) scaled.col(k) *= static_cast<float>(s.values[static_cast<std::size_t>(k)]);
  return times<Matrix>(scaled, right.leftCols(rank).transpose());
}

namespace {

Matrix checked(const ConstView& channel, const char* who) {
  require_input(channel, who);
  if (channel.shape.channels != 1)
    throw InvalidArgument(
        fmt::format("{}: the picture has {} channels: give one (channel() or gray)", who, channel.shape.channels));
  Matrix m = matrix_of(channel);
  if (!m.allFinite())
    throw InvalidArgument(
        fmt::format("{}: a sample is not finite: it would be in every number; replace it first", who));
  return m;
}

}  // namespace

Svd svd(const ConstView& channel, int rank, SvdMethod method) {
  const Matrix m = checked(channel, "svd");
  const int side = static_cast<int>(std::min(m.rows(), m.cols()));
  if (rank < 0 || rank > side)
    throw InvalidArgument(fmt::format("svd: rank={}: a picture of {}x{} has 1 to {}, or 0 for all", rank,
                                      channel.width(), channel.height(), side));
  return svd_of(m, rank, method);
}

namespace {
void check_terms(const char* who, const char* name, int k, int most) {
  if (k < 1 || k > most) throw InvalidArgument(fmt::format("{}: {}={}: there are 1 to {}", who, name, k, most));
}
}  // namespace

double Svd::energy(int k) const {
  check_terms("Svd::energy", "k", k, rank);
  double sum = 0;
  for (int i = 0; i < k; ++i) sum += values[static_cast<std::size_t>(i)] * values[static_cast<std::size_t>(i)];
  return total > 0 ? std::min(1.0, sum / total) : 1;
}

std::size_t Svd::numbers(int k) const {
  check_terms("Svd::numbers", "k", k, rank);
  return static_cast<std::size_t>(k) * (static_cast<std::size_t>(rows) + static_cast<std::size_t>(columns) + 1);
}

Image picture_of(const Svd& s, int rank) {
  check_terms("picture_of", "rank", rank, s.rank);
  Image out(s.columns, s.rows);
  picture_of_matrix(product_of(s, rank), out.view());
  return out;
}

int RankShares::rank_for(double share, bool of_energy) const {
  const auto& running = of_energy ? energy : sums;
  for (std::size_t k = 0; k < running.size(); ++k) {
    if (running[k] >= share - 1e-12) return static_cast<int>(k) + 1;
  }
  return static_cast<int>(running.size());
}

RankShares rank_shares(const ConstView& channel) {
  const ThinSvd d = thin_svd(checked(channel, "rank_shares").cast<double>(), 0);
  RankShares r;
  double sum = 0, squares = 0;
  for (const double v : d.values) {
    r.values.push_back(v);
    r.sums.push_back(sum += v);
    r.energy.push_back(squares += v * v);
  }
  for (double& v : r.sums) v = sum > 0 ? v / sum : 1;
  for (double& v : r.energy) v = squares > 0 ? v / squares : 1;
  return r;
}

}  // namespace sieve
