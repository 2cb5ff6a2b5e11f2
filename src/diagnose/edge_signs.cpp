#include <algorithm>
#include <cmath>
#include <cstddef>

#include "core/at_share.hpp"
#include "core/to_integer.hpp"
#include "diagnose/signs.hpp"
#include "diagnose/thresholds.hpp"
#include "sieve/denoise/total_variation.hpp"
#include "sieve/restore/total_variation_deconvolution.hpp"

namespace sieve::internal::signs {

namespace {

struct Edge {
  double size;
  int x, y;
  double dx, dy;  // across the edge, from dark to bright, of length 1
};

std::vector<Edge> strongest_edges(const ConstView& luma, int rim) {
  constexpr double kLeast = 0.04;
  constexpr std::size_t kFew = 200;
  std::vector<Edge> edges;
  for (int y = rim; y + rim < luma.height(); ++y) {
    for (int x = rim; x + rim < luma.width(); ++x) {
      const double dx = 0.5 * static_cast<double>(luma.at(x + 1, y) - luma.at(x - 1, y)),
                   dy = 0.5 * static_cast<double>(luma.at(x, y + 1) - luma.at(x, y - 1)),
                   size = std::sqrt(dx * dx + dy * dy);
      if (size > kLeast) edges.push_back({size, x, y, dx / size, dy / size});
    }
  }
  const std::size_t count = std::min(edges.size(), std::max(kFew, edges.size() / 10));
  if (count == 0) return edges;
  std::nth_element(edges.begin(), edges.begin() + static_cast<std::ptrdiff_t>(count - 1), edges.end(),
                   [](const Edge& a, const Edge& b) { return a.size > b.size; });
  edges.resize(count);
  return edges;
}

double mean_gradient(const ConstView& plane) {
  double sum = 0;
  for (int y = 0; y + 1 < plane.height(); ++y) {
    for (int x = 0; x + 1 < plane.width(); ++x) {
      const auto v = static_cast<double>(plane.at(x, y)), a = static_cast<double>(plane.at(x + 1, y)) - v,
                 d = static_cast<double>(plane.at(x, y + 1)) - v;
      sum += std::sqrt(a * a + d * d);
    }
  }
  return sum / (static_cast<double>(plane.width()) * plane.height());
}

}  // namespace

namespace {

// work(low, high, across) for each of the strongest edges of some height: the levels on both sides of it, and across(t)
// at t pixels from its middle.
template <class Work>
void each_edge(const ConstView& luma, const Work& work) {
  constexpr int kRim = 8;
  constexpr double kLeastStep = 0.08;
  const auto at = [&](double x, double y) {
    const int i = to_integer<int>(x, 0, luma.width() - 2), j = to_integer<int>(y, 0, luma.height() - 2);
    const double u = x - i, v = y - j;
    const auto sample = [&](int a, int b) { return static_cast<double>(luma.at(i + a, j + b)); };
    return (1 - v) * ((1 - u) * sample(0, 0) + u * sample(1, 0)) + v * ((1 - u) * sample(0, 1) + u * sample(1, 1));
  };
  for (const Edge& e : strongest_edges(luma, kRim)) {
    const auto across = [&](double t) { return at(e.x + t * e.dx, e.y + t * e.dy); };
    const double high = 0.5 * (across(5) + across(6)), low = 0.5 * (across(-5) + across(-6));
    if (high - low >= kLeastStep) work(low, high, across);
  }
}
constexpr std::size_t kFewEdges = 25;

}  // namespace

double overshoot(const ConstView& luma, double noise) {
  // The expectation of the largest of four normal numbers is 1.03 deviations; these lie between samples, and are alike.
  constexpr double kLargest = 0.8;
  const double raised = kLargest * noise;
  std::vector<double> over;
  each_edge(luma, [&](double low, double high, const auto& across) {
    double most = 0, least = 1;
    for (const double t : {1.5, 2.0, 2.5, 3.0}) {
      most = std::max(most, across(t));
      least = std::min(least, across(-t));
    }
    over.push_back((most - high - raised) / (high - low));
    over.push_back((low - least - raised) / (high - low));
  });
  return over.size() < 2 * kFewEdges ? 0 : std::max(0.0, at_share(over, 0.5));
}

std::vector<double> mean_edge(const ConstView& luma) {
  std::vector<double> levels(std::size(kAcross));
  std::size_t edges = 0;
  each_edge(luma, [&](double low, double high, const auto& across) {
    for (std::size_t i = 0; i < levels.size(); ++i) levels[i] += (across(kAcross[i]) - low) / (high - low);
    ++edges;
  });
  if (edges < kFewEdges) return {};
  for (double& v : levels) v /= static_cast<double>(edges);
  return levels;
}

double growth_of_edges(const ConstView& luma, const FoundPsf& blur, double noise) {
  constexpr int kSide = 320, kRim = 32;
  const int w = std::min(kSide, luma.width()), h = std::min(kSide, luma.height());
  const Image part(luma.part({(luma.width() - w) / 2, (luma.height() - h) / 2, w, h}));
  const auto level = static_cast<float>(std::max(thresholds::kPsfNoise, noise));
  // Whether waves come up shows long before the last digit does: over fifteen photographs none passed the threshold
  // later.
  constexpr int kIterations = 30;
  const Image even = TotalVariation{.weight = level, .tolerance = 0.01F}(part),
              restored = TotalVariationDeconvolution{
                  .psf = blur.psf, .noise = level, .iterations = kIterations, .border = Border::taper}(part);
  const int rim = std::min(kRim, std::min(w, h) / 4);
  const Rectangle inner{rim, rim, w - 2 * rim, h - 2 * rim};
  const double before = mean_gradient(even.view().part(inner));
  return before > 0 ? mean_gradient(restored.view().part(inner)) / before : 1;
}

}  // namespace sieve::internal::signs
