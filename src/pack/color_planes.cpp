#include "pack/color_planes.hpp"

#include <Eigen/Eigenvalues>
#include <algorithm>
#include <cmath>
#include <limits>

#include "core/to_integer.hpp"
#include "sieve/core/parallel.hpp"

namespace sieve::internal::packing {

namespace {

constexpr float kTurnScale = 16384, kMeanScale = 65536;

float mean(const ColorTurn& t, int c) { return static_cast<float>(t.means[static_cast<std::size_t>(c)]) / kMeanScale; }

}  // namespace

ColorTurn turn_of(const ConstView& in) {
  ColorTurn t;
  const int channels = in.shape.channels, color = in.shape.color_channels();
  const int step = std::max(1, static_cast<int>(std::sqrt(static_cast<double>(in.shape.pixels()) / 200000)));
  std::array<double, 4> sum{};
  Eigen::Matrix3d products = Eigen::Matrix3d::Zero();
  double n = 0;
  for (int y = 0; y < in.height(); y += step) {
    for (int x = 0; x < in.width(); x += step) {
      std::array<double, 4> v{};
      for (int c = 0; c < channels; ++c)
        sum[static_cast<std::size_t>(c)] += v[static_cast<std::size_t>(c)] = static_cast<double>(in.at(x, y, c));
      if (color == 3) {
        const Eigen::Vector3d p(v[0], v[1], v[2]);
        products += p * p.transpose();
      }
      n += 1;
    }
  }
  for (std::size_t c = 0; c < 4; ++c)
    t.means[c] = to_integer<std::int32_t>(std::round(sum[c] / n * static_cast<double>(kMeanScale)), -1'000'000'000,
                                          1'000'000'000);
  Eigen::Matrix3d axes = Eigen::Matrix3d::Identity();
  if (color == 3) {
    const Eigen::Vector3d m(sum[0] / n, sum[1] / n, sum[2] / n);
    const Eigen::Matrix3d covariance = products / n - m * m.transpose();
    if (covariance.trace() > 1e-9) {
      axes = Eigen::SelfAdjointEigenSolver<Eigen::Matrix3d>(covariance)
                 .eigenvectors()
                 .transpose()
                 .colwise()
                 .reverse()
                 .eval();
      for (int i = 0; i < 3; ++i) {
        if (axes.row(i).sum() < 0) axes.row(i) = -axes.row(i);
      }
    }
  }
  for (int i = 0; i < 9; ++i)
    t.rows[static_cast<std::size_t>(i)] =
        to_integer<std::int16_t>(std::round(axes(i / 3, i % 3) * static_cast<double>(kTurnScale)));
  return t;
}

void split_rows(const ConstView& in, const ColorTurn& turn, int top, const std::vector<View>& planes) {
  const int channels = in.shape.channels, color = in.shape.color_channels(), w = in.width(), width = planes[0].width();
  std::array<float, 9> m{};
  for (std::size_t i = 0; i < 9; ++i) m[i] = static_cast<float>(turn.rows[i]) / kTurnScale;
  for (int y = 0; y < planes[0].height(); ++y) {
    const int from = std::min(top + y, in.height() - 1);
    if (color == 3) {
      const float *r = in.row(from, 0), *g = in.row(from, 1), *b = in.row(from, 2), mr = mean(turn, 0),
                  mg = mean(turn, 1), mb = mean(turn, 2);
      for (std::size_t c = 0; c < 3; ++c) {
        float* to = planes[c].row(y);
        const float a0 = m[3 * c], a1 = m[3 * c + 1], a2 = m[3 * c + 2];
        for (int x = 0; x < w; ++x) to[x] = a0 * (r[x] - mr) + a1 * (g[x] - mg) + a2 * (b[x] - mb);
      }
    }
    for (int c = color == 3 ? 3 : 0; c < channels; ++c) {
      const float *f = in.row(from, c), level = mean(turn, c);
      float* to = planes[static_cast<std::size_t>(c)].row(y);
      for (int x = 0; x < w; ++x) to[x] = f[x] - level;
    }
    for (const View& plane : planes) std::fill(plane.row(y) + w, plane.row(y) + width, plane.row(y)[w - 1]);
  }
}

namespace {
// Samples that are turned at a time.
constexpr int kPart = 256;
}  // namespace

void join_rows(const ColorTurn& turn, const std::vector<ConstView>& planes, int top, bool clip, const View& out) {
  const int channels = out.shape.channels, color = out.shape.color_channels(), w = out.width();
  // The turn is rounded, so its inverse is reckoned and not transposed.
  std::array<float, 9> back{};
  if (color == 3) {
    Eigen::Matrix3d m;
    for (int i = 0; i < 9; ++i)
      m(i / 3, i % 3) = static_cast<double>(turn.rows[static_cast<std::size_t>(i)]) / static_cast<double>(kTurnScale);
    const Eigen::Matrix3d inverse = m.inverse();
    for (int i = 0; i < 9; ++i) back[static_cast<std::size_t>(i)] = static_cast<float>(inverse(i / 3, i % 3));
  }
  const float low = clip ? 0.0F : std::numeric_limits<float>::lowest(),
              high = clip ? 1.0F : std::numeric_limits<float>::max();
  for (int y = 0; y < planes[0].height() && top + y < out.height(); ++y) {
    for (int x0 = 0; color == 3 && x0 < w; x0 += kPart) {
      // Taken out first: the planes may be the channels of the result.
      std::array<std::array<float, kPart>, 3> part;
      const int n = std::min(kPart, w - x0);
      for (std::size_t c = 0; c < 3; ++c) std::copy_n(planes[c].row(y) + x0, n, part[c].data());
      for (std::size_t c = 0; c < 3; ++c) {
        float* to = out.row(top + y, static_cast<int>(c)) + x0;
        const float a0 = back[3 * c], a1 = back[3 * c + 1], a2 = back[3 * c + 2],
                    level = mean(turn, static_cast<int>(c));
        for (int x = 0; x < n; ++x) {
          const auto i = static_cast<std::size_t>(x);
          to[x] = std::min(high, std::max(low, a0 * part[0][i] + a1 * part[1][i] + a2 * part[2][i] + level));
        }
      }
    }
    for (int c = color == 3 ? 3 : 0; c < channels; ++c) {
      const float *f = planes[static_cast<std::size_t>(c)].row(y), level = mean(turn, c);
      float* to = out.row(top + y, c);
      for (int x = 0; x < w; ++x) to[x] = std::min(high, std::max(low, f[x] + level));
    }
  }
}

namespace {

constexpr int kRows = 32;

}  // namespace

std::vector<Image> split_colors(const ConstView& in, const ColorTurn& turn) {
  std::vector<Image> planes;
  for (int c = 0; c < in.shape.channels; ++c) planes.emplace_back(in.width(), in.height());
  parallel_rows(
      (in.height() + kRows - 1) / kRows, static_cast<std::size_t>(in.width()) * kRows * planes.size(),
      [&](int first, int last) {
        const Rectangle part{0, first * kRows, in.width(), std::min(in.height(), last * kRows) - first * kRows};
        std::vector<View> rows;
        for (Image& plane : planes) rows.push_back(plane.view().part(part));
        split_rows(in, turn, part.y, rows);
      });
  return planes;
}

void join_colors(const ColorTurn& turn, bool clip, const View& planes) {
  parallel_rows(
      (planes.height() + kRows - 1) / kRows,
      static_cast<std::size_t>(planes.width()) * kRows * static_cast<std::size_t>(planes.shape.channels),
      [&](int first, int last) {
        const Rectangle part{0, first * kRows, planes.width(), std::min(planes.height(), last * kRows) - first * kRows};
        std::vector<ConstView> rows;
        for (int c = 0; c < planes.shape.channels; ++c) rows.push_back(planes.channel(c).part(part));
        join_rows(turn, rows, part.y, clip, planes);
      });
}

}  // namespace sieve::internal::packing
