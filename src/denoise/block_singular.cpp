#include "denoise/block_singular.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "denoise/block_lanes.hpp"
#include "sieve/core/map.hpp"

namespace sieve::internal {

namespace {

using Matrix = Eigen::MatrixXf;

// Gu and others, section 4: the constant of the weights, and the share of the noise that later rounds see.
constexpr float kWeight = 2.8284271F, kLater = 0.56F;

class SingularRound {
 public:
  SingularRound(const ConstView& planes, const ConstView& made, const SingularOptions& o)
      : o_(o),
        side_(o.groups.side),
        basis_(side_),
        even_(static_cast<std::size_t>(side_ * basis_.pitch), 0.0F),
        noisy_(block_planes(planes)),
        given_(block_planes(
            map_pairs(made, planes, [share = o.feedback](float m, float n) { return m + share * (n - m); }))),
        sums_(planes.width(), planes.height(), planes.channels()) {
    for (int k = 0; k < side_ * side_; ++k) even_[number(k)] = 1;
    for (int c = 0; c < planes.channels(); ++c) {
      Scratch<float>& white = whiten_.emplace_back();
      for (int y = 0; y < side_; ++y) {
        // In the order of the transform.
        for (int x = 0; x < side_; ++x)
          white.push_back(static_cast<float>(o.noise.deviation(c) / std::sqrt(o.noise.power(c, y, x, side_))));
      }
    }
  }

  GroupWork work_of_thread() {
    return [this, work = Work()](const BlockGroup& group) mutable {
      const std::span<const Match> found = group.blocks;
      for (std::size_t c = 0; c < noisy_.size(); ++c) {
        const float noise = load(c, found, work);
        shrink(work, noise);
        store(c, found, work);
      }
    };
  }

  Image means() const { return sums_.means(); }

 private:
  struct Work {
    Matrix numbers, gram, part, factors;  // numbers: a column for each block
    Eigen::VectorXf mean;
    Eigen::SelfAdjointEigenSolver<Matrix> solver;
    alignas(64) float block[lanes::kMostBlock * lanes::kMostBlock] = {};
  };

  // The cosine transforms of the blocks, each number by the deviation of its noise: where that is not white, singular
  // values would tell it from the picture no more. Gives the noise that is left in the blocks.
  float load(std::size_t c, std::span<const Match> found, Work& w) const {
    const auto n = static_cast<Eigen::Index>(found.size());
    w.numbers.resize(side_ * side_, n);
    float taken = 0;
    for (Eigen::Index i = 0; i < n; ++i) {
      const Match& m = found[static_cast<std::size_t>(i)];
      const float* given = given_[c].at(m.x, m.y);
      for (int y = 0; y < side_; ++y) {
        const float *a = given_[c].at(m.x, m.y + y), *b = noisy_[c].at(m.x, m.y + y);
        for (int x = 0; x < side_; ++x) taken += (b[x] - a[x]) * (b[x] - a[x]);
      }
      constexpr std::ptrdiff_t kHere = 0;
      lanes::blocks_forward(basis_, given, given_[c].stride, &kHere, 1, 0, w.block);
      for (int k = 0; k < side_ * side_; ++k)
        w.numbers(k, i) = w.block[number(k)] * whiten_[c][static_cast<std::size_t>(k)];
    }
    const auto noise = static_cast<float>(o_.noise.deviation(static_cast<int>(c)));
    if (o_.first) return 0.5F * noise;
    return kLater * std::sqrt(std::fabs(noise * noise - taken / static_cast<float>(w.numbers.size())));
  }

  // Where number k of a block stands in rows of the basis's pitch.
  std::size_t number(int k) const { return static_cast<std::size_t>(k / side_ * basis_.pitch + k % side_); }

  // The mean block is drawn toward its own level as far as noise of that size would explain its form (James and Stein);
  // of what differs from it, the singular values are shrunk by the closed form for weights C sqrt(blocks) noise^2 /
  // (what the value will be).
  static void shrink(Work& w, float noise) {
    Matrix& p = w.numbers;
    const auto n = static_cast<float>(p.cols());
    w.mean = p.rowwise().mean();
    p.colwise() -= w.mean;
    auto form = w.mean.tail(w.mean.size() - 1);
    const float size = form.squaredNorm() / static_cast<float>(p.rows());
    form *= size > 0 ? std::max(0.0F, 1 - noise * noise / (n * size)) : 0.0F;
    // By the smaller product of the matrix with itself.
    const bool few = p.cols() < p.rows();
    if (few) {
      w.gram.noalias() = p.transpose() * p;
    } else {
      w.gram.noalias() = p * p.transpose();
    }
    w.solver.compute(w.gram);
    const float least = 4 * kWeight * std::sqrt(n) * noise * noise;
    const Eigen::VectorXf& squares = w.solver.eigenvalues();
    Eigen::Index first = squares.size();  // values rise
    while (first > 0 && squares[first - 1] > least) --first;
    const Eigen::Index rank = squares.size() - first;
    if (rank == 0) {
      p.setZero();
      return;
    }
    const auto vectors = w.solver.eigenvectors().rightCols(rank);
    w.factors = vectors;
    for (Eigen::Index i = 0; i < rank; ++i) w.factors.col(i) *= 0.5F * (1 + std::sqrt(1 - least / squares[first + i]));
    if (few) {
      w.part.noalias() = p * vectors;
      p.noalias() = w.part * w.factors.transpose();
    } else {
      w.part.noalias() = vectors.transpose() * p;
      p.noalias() = w.factors * w.part;
    }
  }

  void store(std::size_t c, std::span<const Match> found, Work& w) {
    for (std::size_t i = 0; i < found.size(); ++i) {
      for (int k = 0; k < side_ * side_; ++k)
        w.block[number(k)] =
            (w.numbers(k, static_cast<Eigen::Index>(i)) + w.mean[k]) / whiten_[c][static_cast<std::size_t>(k)];
      lanes::blocks_inverse(basis_, 1, 0, w.block);
      const std::ptrdiff_t place = noisy_[c].place(found[i]);
      sums_.add(c, {&place, 1}, w.block, 0, even_.data(), side_, basis_.pitch, 1);
    }
  }

  SingularOptions o_;
  int side_;
  lanes::BlockBasis basis_;
  Scratch<float> even_;                 // the window of a block
  std::vector<Scratch<float>> whiten_;  // of each plane
  std::vector<BlockPlane> noisy_, given_;
  BlockSums sums_;
};

}  // namespace

Image singular_round(const ConstView& planes, const ConstView& made, const BlockPart& part,
                     const SingularOptions& options) {
  SingularRound round(planes, made, options);
  each_group(BlockPlane(made.channel(0)), part, options.groups, [&] { return round.work_of_thread(); });
  return round.means();
}

}  // namespace sieve::internal
