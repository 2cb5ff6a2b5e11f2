// Packing by factors: singular vectors of the channels side by side, and principal components of patches. Numbers are
// cut to steps and coded with the sizes of their neighbors as context.

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <cstdlib>

#include "core/to_integer.hpp"
#include "lowrank/matrix.hpp"
#include "pack/methods.hpp"
#include "pack/range_coder.hpp"
#include "sieve/core/error.hpp"
#include "sieve/core/watch.hpp"
#include "sieve/lowrank/principal.hpp"

namespace sieve::internal::packing {

namespace {

constexpr int kPatch = 8;
constexpr int kMostComponents = 512, kMostNumber = 1'000'000;

// Whole numbers of either sign.
class Numbers {
 public:
  // `near`: the sizes of those about it, summed.
  template <class Coder>
  std::int32_t code(Coder& c, std::int32_t value, std::uint32_t near, int kind) {
    const auto context = static_cast<std::size_t>(std::min(11, static_cast<int>(std::bit_width(near))));
    const std::uint32_t m =
        sizes_[static_cast<std::size_t>(kind)][context].code(c, static_cast<std::uint32_t>(std::abs(value)));
    if (m == 0) return 0;
    const bool negative = c.raw(value < 0 ? 1 : 0, 1) != 0;
    return negative ? -static_cast<std::int32_t>(m) : static_cast<std::int32_t>(m);
  }

 private:
  std::array<std::array<Count<18>, 12>, 3> sizes_;
};

// A vector of numbers in steps, each in the light of the two before it.
template <class Coder>
void code_vector(Coder& c, Numbers& numbers, int kind, float* v, std::size_t n, std::size_t stride, float step) {
  std::uint32_t one = 0, two = 0;
  for (std::size_t i = 0; i < n; ++i) {
    float& at = v[i * stride];
    const std::int32_t q = numbers.code(
        c, Coder::kDecodes ? 0 : to_integer<std::int32_t>(std::round(at / step), -kMostNumber, kMostNumber),
        2 * one + two, kind);
    if constexpr (Coder::kDecodes) at = static_cast<float>(q) * step;
    two = one;
    one = static_cast<std::uint32_t>(std::abs(q));
  }
}

// The size of a component on a scale of 1/8 of a power of two.
constexpr int kScale = 8, kLeastScale = 0;
int scale_of(double size) {
  return 512 + to_integer<int>(std::round(kScale * std::log2(std::max(1e-9, size))), -512, 512);
}
double size_of(int scale) { return std::exp2((scale - 512) / static_cast<double>(kScale)); }

// The size of the next term; singular values never rise, so only how far they fall is coded.
template <class Coder>
int code_scale(Coder& c, Count<8>& falls, int before, int scale) {
  return std::max(kLeastScale, before - static_cast<int>(falls.code(
                                            c, static_cast<std::uint32_t>(Coder::kDecodes ? 0 : before - scale))));
}

// What a format of factors is, for coder and decoder alike: `left` and `right` by terms, scales[k] the size of term k.
// The error of every term is that of `step` in each sample of a row and a column.
template <class Coder>
void code_factors(Coder& c, Matrix& left, Matrix& right, std::vector<int>& scales, float step) {
  Numbers numbers;
  Count<8> falls;
  int before = 1024;
  for (std::size_t k = 0; k < scales.size(); ++k) {
    checkpoint();
    scales[k] = before = code_scale(c, falls, before, scales[k]);
    const auto root = static_cast<float>(std::sqrt(size_of(before)));
    const auto i = static_cast<Eigen::Index>(k);
    code_vector(c, numbers, 0, left.col(i).data(), static_cast<std::size_t>(left.rows()), 1, step / root);
    code_vector(c, numbers, 1, right.col(i).data(), static_cast<std::size_t>(right.rows()), 1, step / root);
    if (c.ended_long()) return;
  }
}

class SvdMethod : public Method {
 public:
  SvdMethod(const ConstView& in, std::optional<std::uint64_t> keep) : keep_(keep) {
    matrix_ = matrix_of(in);
    mean_ = matrix_.size() > 0 ? matrix_.mean() : 0;
    matrix_.array() -= mean_;
    const int side = static_cast<int>(std::min(matrix_.rows(), matrix_.cols()));
    svd_ = svd_of(matrix_, std::min(side, kMostComponents), sieve::SvdMethod::automatic);
  }
  Coded code(float step) override {
    int rank = 0;
    if (keep_) {
      rank = static_cast<int>(std::min(*keep_, static_cast<std::uint64_t>(svd_.rank)));
    } else {
      // A term is kept where the error without it is larger than the error that rounding its numbers to steps causes.
      const double worth = static_cast<double>(step) * std::sqrt(0.5 * (svd_.rows + svd_.columns));
      while (rank < svd_.rank && svd_.values[static_cast<std::size_t>(rank)] > worth) ++rank;
    }
    Matrix left = Eigen::Map<const Matrix>(svd_.left.data(), svd_.rows, svd_.rank).leftCols(rank),
           right = Eigen::Map<const Matrix>(svd_.right.data(), svd_.columns, svd_.rank).leftCols(rank);
    std::vector<int> scales;
    int before = 1024;
    for (int k = 0; k < rank; ++k) {
      before = std::min(before, scale_of(svd_.values[static_cast<std::size_t>(k)]));
      scales.push_back(before);
      // The sizes go into the left vectors, as far as the scale does not tell them.
      left.col(k) *= static_cast<float>(svd_.values[static_cast<std::size_t>(k)] / size_of(before));
    }
    RangeEncoder encoder;
    code_factors(encoder, left, right, scales, step);
    Coded coded;
    coded.header.info.by = PackBy::svd;
    coded.header.info.kept = static_cast<std::uint64_t>(rank);
    coded.header.turn.means[0] = static_cast<std::int32_t>(std::lround(std::clamp(mean_, -10000.0F, 10000.0F) * 65536));
    coded.header.step = step;
    coded.sections = {encoder.finish()};
    coded.nonzero = static_cast<std::uint64_t>(rank);
    return coded;
  }

 private:
  std::optional<std::uint64_t> keep_;
  Matrix matrix_;
  float mean_ = 0;
  Svd svd_;
};

// Coordinates of patches, component by component, in the light of the patches to the left and above; axes by
// components.
template <class Coder>
void code_patches(Coder& c, Matrix& axes, std::vector<float>& mean, Matrix& coordinates, std::vector<int>& scales,
                  int across, float step) {
  Numbers numbers;
  code_vector(c, numbers, 2, mean.data(), mean.size(), 1, std::min(step, 1.0F / 512));
  Count<8> falls;
  int before = 1024;
  for (std::size_t k = 0; k < scales.size(); ++k) {
    checkpoint();
    scales[k] = before = code_scale(c, falls, before, scales[k]);
    const auto i = static_cast<Eigen::Index>(k);
    // An axis is as fine as the coordinates along it are large: its error in a sample is that of a coordinate.
    code_vector(c, numbers, 2, axes.col(i).data(), static_cast<std::size_t>(axes.rows()), 1,
                static_cast<float>(std::clamp(
                    0.7 * static_cast<double>(step) / (size_of(before) * std::sqrt(static_cast<double>(axes.rows()))),
                    1e-5, 0.05)));
    Numbers own;
    const auto n = coordinates.rows();
    std::vector<std::uint32_t> sizes(static_cast<std::size_t>(n));
    for (Eigen::Index o = 0; o < n; ++o) {
      const auto at = static_cast<std::size_t>(o);
      const std::uint32_t left = o % across > 0 ? sizes[at - 1] : 0,
                          up = o >= across ? sizes[at - static_cast<std::size_t>(across)] : 0;
      float& v = coordinates(o, i);
      std::int32_t q = 0;
      if constexpr (!Coder::kDecodes) {
        const auto m = to_integer<std::int32_t>(std::fabs(v) / step + 0.35F, 0, kMostNumber);
        q = v < 0 ? -m : m;
      }
      q = own.code(c, q, left + up, 0);
      sizes[at] = static_cast<std::uint32_t>(std::abs(q));
      if constexpr (Coder::kDecodes) v = static_cast<float>(q) * step;
    }
    if (c.ended_long()) return;
  }
}

class PrincipalMethod : public Method {
 public:
  PrincipalMethod(const ConstView& in, std::optional<std::uint64_t> keep)
      : keep_(keep),
        across_((in.width() + kPatch - 1) / kPatch),
        gray_(all_as_color(in)),
        principal_(principal_patches(gray_, kPatch)) {}
  Coded code(float step) override {
    const int most = std::min(principal_.components, kMostComponents);
    int k = keep_ ? static_cast<int>(std::min(*keep_, static_cast<std::uint64_t>(most))) : 0;
    while (!keep_ && k < most &&
           principal_.variance[static_cast<std::size_t>(k)] >
               0.2 * static_cast<double>(step) * static_cast<double>(step))
      ++k;
    Matrix axes =
        Eigen::Map<const Matrix>(principal_.axes.data(), principal_.length, principal_.components).leftCols(k);
    Matrix coordinates(principal_.observations, k);
    for (int o = 0; o < principal_.observations; ++o) {
      for (int i = 0; i < k; ++i)
        coordinates(o, i) =
            principal_.coordinates[static_cast<std::size_t>(o) * static_cast<std::size_t>(principal_.components) +
                                   static_cast<std::size_t>(i)];
    }
    std::vector<int> scales;
    int before = 1024;
    for (int i = 0; i < k; ++i)
      scales.push_back(before =
                           std::min(before, scale_of(std::sqrt(principal_.variance[static_cast<std::size_t>(i)]))));
    std::vector<float> mean = principal_.mean;
    RangeEncoder encoder;
    code_patches(encoder, axes, mean, coordinates, scales, across_, step);
    Coded coded;
    coded.header.info.by = PackBy::pca;
    coded.header.info.kept = static_cast<std::uint64_t>(k);
    coded.header.step = step;
    coded.sections = {encoder.finish()};
    coded.nonzero = static_cast<std::uint64_t>(k);
    return coded;
  }

 private:
  // Gray and alpha are two pictures one above the other: patches of both are observations alike.
  static Image all_as_color(const ConstView& in) {
    if (!in.shape.has_alpha()) return Image(in);
    const int color = in.shape.color_channels(), high = (in.height() + kPatch - 1) / kPatch * kPatch;
    Image all(Shape{in.width(), 2 * high, color});
    for (int c = 0; c < color; ++c) {
      for (int y = 0; y < 2 * high; ++y)
        std::copy_n(in.row(std::min(y % high, in.height() - 1), y < high ? c : color), in.width(),
                    all.view().row(y, c));
    }
    return all;
  }
  std::optional<std::uint64_t> keep_;
  int across_;
  Image gray_;
  Principal principal_;
};

[[noreturn]] void wrong_factors() {
  throw Error("packed picture: its factors do not fit its header; the file is damaged: fetch it again");
}

}  // namespace

std::unique_ptr<Method> svd_method(const ConstView& in, std::optional<std::uint64_t> keep) {
  return std::make_unique<SvdMethod>(in, keep);
}
std::unique_ptr<Method> principal_method(const ConstView& in, std::optional<std::uint64_t> keep) {
  return std::make_unique<PrincipalMethod>(in, keep);
}

void decode_svd_picture(const Opened& o, const View& out) {
  const int columns = out.width() * out.shape.channels;
  if (o.sections.size() != 1 ||
      o.header.info.kept > static_cast<std::uint64_t>(std::min({columns, out.height(), kMostComponents})))
    wrong_factors();
  const auto rank = static_cast<Eigen::Index>(o.header.info.kept);
  Matrix left(out.height(), rank), right(columns, rank);
  std::vector<int> scales(static_cast<std::size_t>(rank));
  RangeDecoder decoder(o.sections[0]);
  code_factors(decoder, left, right, scales, o.header.step);
  if (decoder.ended_long()) wrong_factors();
  for (Eigen::Index k = 0; k < rank; ++k)
    left.col(k) *= static_cast<float>(size_of(scales[static_cast<std::size_t>(k)]));
  Matrix m = left * right.transpose();
  m.array() += static_cast<float>(o.header.turn.means[0]) / 65536;
  picture_of_matrix(m, out);
}

void decode_principal_picture(const Opened& o, const View& out) {
  const int across = (out.width() + kPatch - 1) / kPatch, down = (out.height() + kPatch - 1) / kPatch,
            color = out.shape.color_channels();
  const int patches = across * down * (out.shape.has_alpha() ? 2 : 1), length = kPatch * kPatch * color;
  if (o.sections.size() != 1 ||
      o.header.info.kept > static_cast<std::uint64_t>(std::min({length, patches, kMostComponents})))
    wrong_factors();
  const auto k = static_cast<Eigen::Index>(o.header.info.kept);
  Matrix axes(length, k), coordinates(patches, k);
  std::vector<float> mean(static_cast<std::size_t>(length));
  std::vector<int> scales(static_cast<std::size_t>(k));
  RangeDecoder decoder(o.sections[0]);
  code_patches(decoder, axes, mean, coordinates, scales, across, o.header.step);
  if (decoder.ended_long()) wrong_factors();
  const Eigen::Map<const Eigen::VectorXf> middle(mean.data(), length);
  for (int p = 0; p < patches; ++p) {
    Eigen::VectorXf patch = middle;
    if (k > 0) patch += axes * coordinates.row(p).transpose();  // of none there is no row to point at
    const bool alpha = p >= across * down;
    const int at = alpha ? p - across * down : p, x0 = at % across * kPatch, y0 = at / across * kPatch;
    for (int i = 0; i < length; ++i) {
      const int c = i / (kPatch * kPatch), x = x0 + i % kPatch, y = y0 + i / kPatch % kPatch;
      if (x < out.width() && y < out.height() && (!alpha || c == 0)) out.at(x, y, alpha ? color : c) = patch(i);
    }
  }
}

}  // namespace sieve::internal::packing
