#include <algorithm>
#include <cmath>

#include "core/at_share.hpp"
#include "diagnose/signs.hpp"

namespace sieve::internal::signs {

// A line counts where its samples differ from the mean of its neighbors far more than lines nearby do, nearly all of
// them to the same side, and hardly from each other: lines of print differ, too, but are not of one level.
std::vector<int> dead_lines(const ConstView& luma, bool rows) {
  constexpr double kLeast = 0.04, kTimes = 4, kOneSided = 0.8, kOneLevel = 0.3;
  constexpr int kBeside = 16;
  const int lines = rows ? luma.height() : luma.width(), length = rows ? luma.width() : luma.height();
  if (lines < 2 * kBeside || length < 2 * kBeside) return {};
  struct Line {
    double off = 0, off_signed = 0;  // from the mean of its neighbors, means over the line
    double sum = 0, squares = 0;
    void add(float v, float before, float after) {
      const auto d = static_cast<double>(v - 0.5F * (before + after));
      off += std::abs(d);
      off_signed += d;
      sum += static_cast<double>(v);
      squares += static_cast<double>(v) * static_cast<double>(v);
    }
    double deviation(int n) const { return std::sqrt(std::max(0.0, squares / n - sum * sum / n / n)); }
  };
  std::vector<Line> all(static_cast<std::size_t>(lines));
  // Memory runs along rows.
  for (int y = rows ? 1 : 0; y + (rows ? 1 : 0) < luma.height(); ++y) {
    const float* row = luma.row(y);
    if (rows) {
      const float *above = luma.row(y - 1), *below = luma.row(y + 1);
      Line& l = all[static_cast<std::size_t>(y)];
      for (int x = 0; x < length; ++x) l.add(row[x], above[x], below[x]);
    } else {
      for (int x = 1; x + 1 < lines; ++x) all[static_cast<std::size_t>(x)].add(row[x], row[x - 1], row[x + 1]);
    }
  }
  for (Line& l : all) {
    l.off /= length;
    l.off_signed /= length;
  }
  // The median of the lines beside one.
  const auto beside = [&](int line, auto value) {
    std::vector<double> values;
    for (int k = std::max(1, line - kBeside); k <= std::min(lines - 2, line + kBeside); ++k) {
      if (std::abs(k - line) > 1) values.push_back(value(all[static_cast<std::size_t>(k)]));
    }
    return at_share(values, 0.5);
  };
  std::vector<int> found;
  for (int line = 1; line + 1 < lines; ++line) {
    const Line& l = all[static_cast<std::size_t>(line)];
    const auto deviation = [&](const Line& one) { return one.deviation(length); };
    if (l.off > kLeast && std::abs(l.off_signed) > kOneSided * l.off &&
        l.off > kTimes * beside(line, [](const Line& one) { return one.off; }) &&
        deviation(l) < kOneLevel * beside(line, deviation))
      found.push_back(line);
  }
  return found;
}

BlockSteps block_steps(const ConstView& luma) {
  constexpr int kSide = 8;
  if (luma.width() < 4 * kSide || luma.height() < 4 * kSide) return {};
  // Second differences by the place in a block, and the mean step: along rows and down columns.
  double steps[2][kSide] = {}, mean = 0;
  std::size_t counts[2][kSide] = {}, all = 0;
  for (int y = 1; y + 2 < luma.height(); ++y) {
    for (int x = 1; x + 2 < luma.width(); ++x) {
      const auto far = [&](int x0, int y0, int x1, int y1) {
        return static_cast<double>(std::fabs(luma.at(x0, y0) - luma.at(x1, y1)));
      };
      const double across = far(x, y, x + 1, y), down = far(x, y, x, y + 1);
      steps[0][x % kSide] += across - 0.5 * (far(x - 1, y, x, y) + far(x + 1, y, x + 2, y));
      steps[1][y % kSide] += down - 0.5 * (far(x, y - 1, x, y) + far(x, y + 1, x, y + 2));
      ++counts[0][x % kSide];
      ++counts[1][y % kSide];
      mean += 0.5 * (across + down);
      ++all;
    }
  }
  mean /= static_cast<double>(all);
  // In both directions one place of eight stands out.
  double least = 1;
  for (int k = 0; k < 2; ++k) {
    for (int i = 0; i < kSide; ++i) steps[k][i] /= static_cast<double>(counts[k][i]);
    const double* most = std::max_element(steps[k], steps[k] + kSide);
    double rest = 0;
    for (const double* s = steps[k]; s != steps[k] + kSide; ++s) {
      if (s != most) rest = std::max(rest, std::abs(*s));
    }
    least = std::min(least, *most - rest);
  }
  return {std::max(0.0, least), mean > 0 ? std::max(0.0, least / mean) : 0};
}

}  // namespace sieve::internal::signs
