#include "sieve/reference/lowrank.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <optional>
#include <vector>

namespace sieve::reference {

namespace {

using Table = std::vector<std::vector<double>>;

double dot(const std::vector<double>& a, const std::vector<double>& b) {
  return std::inner_product(a.begin(), a.end(), b.begin(), 0.0);
}

// Turns a pair of vectors by the angle whose cosine and sine are given.
void turn(std::vector<double>& a, std::vector<double>& b, double cosine, double sine) {
  for (std::size_t i = 0; i < a.size(); ++i) {
    const double p = a[i], q = b[i];
    a[i] = cosine * p - sine * q;
    b[i] = sine * p + cosine * q;
  }
}

// Turns pairs of vectors until all are orthogonal, and `with` by the same angles.
void make_orthogonal(Table& vectors, Table& with) {
  for (int sweep = 0; sweep < 60; ++sweep) {
    double worst = 0;
    for (std::size_t i = 0; i < vectors.size(); ++i) {
      for (std::size_t j = i + 1; j < vectors.size(); ++j) {
        const double a = dot(vectors[i], vectors[i]), b = dot(vectors[j], vectors[j]), c = dot(vectors[i], vectors[j]);
        if (c == 0 || std::abs(c) <= 1e-15 * std::sqrt(a * b)) continue;
        worst = std::max(worst, std::abs(c) / std::sqrt(a * b));
        const double z = (b - a) / (2 * c), t = (z >= 0 ? 1 : -1) / (std::abs(z) + std::sqrt(1 + z * z)),
                     cosine = 1 / std::sqrt(1 + t * t);
        turn(vectors[i], vectors[j], cosine, cosine * t);
        turn(with[i], with[j], cosine, cosine * t);
      }
    }
    if (worst < 1e-13) return;
  }
}

Table identity(std::size_t n) {
  Table t(n, std::vector<double>(n));
  for (std::size_t i = 0; i < n; ++i) t[i][i] = 1;
  return t;
}

// Places of the longest vectors, the longest first.
std::vector<std::size_t> longest(const Table& vectors, int count) {
  std::vector<std::size_t> order(vectors.size());
  std::iota(order.begin(), order.end(), std::size_t{0});
  std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
    return dot(vectors[a], vectors[a]) > dot(vectors[b], vectors[b]);
  });
  order.resize(std::min(order.size(), static_cast<std::size_t>(count)));
  return order;
}

// How many of the longest vectors hold that share of the sum of all squares.
int count_for_share(const Table& vectors, double share) {
  std::vector<double> squares;
  for (const auto& v : vectors) squares.push_back(dot(v, v));
  std::sort(squares.rbegin(), squares.rend());
  const double all = std::accumulate(squares.begin(), squares.end(), 0.0);
  int count = 1;
  double sum = squares[0];
  // A billionth is what the rounding of the fast way may leave out of all of it.
  while (count < static_cast<int>(squares.size()) && sum < (share - 1e-9) * all)
    sum += squares[static_cast<std::size_t>(count++)];
  return count;
}

// The rows of `data`, less their mean, put on their first directions of most variance; with `share` so many that they
// hold that share of it.
void keep_directions(Table& data, int components, std::optional<double> share) {
  const std::size_t length = data[0].size();
  std::vector<double> mean(length);
  for (const auto& row : data) {
    for (std::size_t i = 0; i < length; ++i) mean[i] += row[i] / static_cast<double>(data.size());
  }
  // The columns of the centered data, turned until orthogonal: each turned unit vector is a direction, its length the
  // deviation along it.
  Table columns(length, std::vector<double>(data.size())), directions = identity(length);
  for (std::size_t r = 0; r < data.size(); ++r) {
    for (std::size_t i = 0; i < length; ++i) columns[i][r] = data[r][i] -= mean[i];
  }
  make_orthogonal(columns, directions);
  const auto order = longest(columns, share ? count_for_share(columns, *share) : components);
  for (auto& row : data) {
    std::vector<double> sum = mean;
    for (const std::size_t k : order) {
      const double along = dot(row, directions[k]);
      for (std::size_t i = 0; i < length; ++i) sum[i] += along * directions[k][i];
    }
    row = sum;
  }
}

}  // namespace

Image low_rank(const ConstView& in, int rank) {
  // Columns of the picture, times an orthogonal matrix V, are U times the singular values.
  Table columns(static_cast<std::size_t>(in.width()), std::vector<double>(static_cast<std::size_t>(in.height())));
  for (int x = 0; x < in.width(); ++x) {
    for (int y = 0; y < in.height(); ++y)
      columns[static_cast<std::size_t>(x)][static_cast<std::size_t>(y)] = static_cast<double>(in.at(x, y));
  }
  Table v = identity(columns.size());
  make_orthogonal(columns, v);
  const auto order = longest(columns, rank);
  Image out(in.width(), in.height());
  for (int y = 0; y < in.height(); ++y) {
    for (int x = 0; x < in.width(); ++x) {
      double sum = 0;
      for (const std::size_t k : order)
        sum += columns[k][static_cast<std::size_t>(y)] * v[k][static_cast<std::size_t>(x)];
      out.at(x, y) = static_cast<float>(sum);
    }
  }
  return out;
}

Image principal(const ConstView& in, int side, int components, std::optional<double> share) {
  const int color = in.shape.color_channels();
  // Each number of each observation: rows of all channels, or patches with repeated borders.
  const int width = side == 0 ? in.width() : side, height = side == 0 ? 1 : side;
  const int across = (in.width() + width - 1) / width, down = (in.height() + height - 1) / height;
  Table data;
  for (int o = 0; o < across * down; ++o) {
    data.emplace_back();
    for (int i = 0; i < color * height * width; ++i) {
      const int x = o % across * width + i % width, y = o / across * height + i / width % height;
      data.back().push_back(
          static_cast<double>(in.at(std::min(x, in.width() - 1), std::min(y, in.height() - 1), i / (width * height))));
    }
  }
  keep_directions(data, components, share);
  Image out(Shape{in.width(), in.height(), color});
  for (int o = 0; o < across * down; ++o) {
    for (int i = 0; i < color * height * width; ++i) {
      const int x = o % across * width + i % width, y = o / across * height + i / width % height;
      if (x < in.width() && y < in.height())
        out.at(x, y, i / (width * height)) =
            static_cast<float>(data[static_cast<std::size_t>(o)][static_cast<std::size_t>(i)]);
    }
  }
  return out;
}

}  // namespace sieve::reference
