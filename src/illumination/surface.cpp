#include "illumination/surface.hpp"

#include <Eigen/QR>
#include <algorithm>
#include <cmath>

#include "sieve/core/parallel.hpp"

namespace sieve {

using namespace internal;

namespace {

constexpr int kBlocks = 64, kRounds = 12;

double coordinate(double place, int length) { return length > 1 ? 2 * place / (length - 1) - 1 : 0; }

Eigen::Index terms(int degree) { return (degree + 1) * (degree + 2) / 2; }

Eigen::RowVectorXd powers(double x, double y, int degree) {
  Eigen::RowVectorXd out(terms(degree));
  Eigen::Index t = 0;
  double yj = 1;
  for (int j = 0; j <= degree; ++j, yj *= y) {
    double xi = 1;
    for (int i = 0; i <= degree - j; ++i, xi *= x) out[t++] = xi * yj;
  }
  return out;
}

double median_of(std::vector<double> v) {
  const auto middle = v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2);
  std::nth_element(v.begin(), middle, v.end());
  return *middle;
}

}  // namespace

Surface internal::fit_surface(const ConstView& channel, int degree) {
  const int w = channel.width(), h = channel.height(), columns = std::min(w, kBlocks), rows = std::min(h, kBlocks),
            blocks = columns * rows;
  struct Block {
    double x, y, mean;
  };
  std::vector<Block> all(static_cast<std::size_t>(blocks));
  parallel_rows(rows, channel.shape.pixels() / static_cast<std::size_t>(rows), [&](int first, int last) {
    for (int j = first; j < last; ++j) {
      const int y0 = static_cast<int>(static_cast<long long>(h) * j / rows),
                y1 = static_cast<int>(static_cast<long long>(h) * (j + 1) / rows);
      for (int i = 0; i < columns; ++i) {
        const int x0 = static_cast<int>(static_cast<long long>(w) * i / columns),
                  x1 = static_cast<int>(static_cast<long long>(w) * (i + 1) / columns);
        double sum = 0, count = 0;
        for (int y = y0; y < y1; ++y) {
          const float* row = channel.row(y);
          for (int x = x0; x < x1; ++x) {
            if (!std::isfinite(row[x])) continue;
            sum += static_cast<double>(row[x]);
            ++count;
          }
        }
        all[static_cast<std::size_t>(j * columns + i)] = {coordinate(0.5 * (x0 + x1 - 1), w),
                                                          coordinate(0.5 * (y0 + y1 - 1), h), sum / count};
      }
    }
  });
  std::erase_if(all, [](const Block& b) { return !std::isfinite(b.mean); });
  const auto n = static_cast<Eigen::Index>(all.size());
  Eigen::MatrixXd basis(n, terms(degree));
  Eigen::VectorXd means(n), weights = Eigen::VectorXd::Ones(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const Block& b = all[static_cast<std::size_t>(i)];
    basis.row(i) = powers(b.x, b.y, degree);
    means[i] = b.mean;
  }
  Eigen::VectorXd fit = Eigen::VectorXd::Zero(basis.cols());
  for (int round = 0; n > 0 && round < kRounds; ++round) {
    const Eigen::VectorXd roots = weights.cwiseSqrt();
    // The complete decomposition gives the smallest solution where there are fewer blocks than terms.
    fit = (roots.asDiagonal() * basis).completeOrthogonalDecomposition().solve(roots.cwiseProduct(means));
    const Eigen::VectorXd residual = (means - basis * fit).cwiseAbs();
    const double scale = 1.4826 * median_of({residual.begin(), residual.end()});
    if (!(scale > 1e-9)) break;
    for (Eigen::Index i = 0; i < n; ++i) {
      const double r = residual[i] / (4.685 * scale);
      weights[i] = r < 1 ? (1 - r * r) * (1 - r * r) : 0;
    }
  }
  return {degree, {fit.begin(), fit.end()}};
}

void Surface::draw(const View& out) const {
  parallel_rows(out.height(), RowCost(out.width(), 4), [&](int first, int last) {
    for (int y = first; y < last; ++y) {
      // Along a row it is a polynomial of x alone.
      std::vector<double> row(static_cast<std::size_t>(degree_) + 1);
      double yj = 1;
      std::size_t t = 0;
      for (int j = 0; j <= degree_; ++j, yj *= coordinate(y, out.height())) {
        for (int i = 0; i <= degree_ - j; ++i) row[static_cast<std::size_t>(i)] += weights_[t++] * yj;
      }
      float* to = out.row(y);
      for (int x = 0; x < out.width(); ++x) {
        const double u = coordinate(x, out.width());
        double v = 0;
        for (std::size_t i = row.size(); i-- > 0;) v = v * u + row[i];
        to[x] = static_cast<float>(v);
      }
    }
  });
}

}  // namespace sieve
