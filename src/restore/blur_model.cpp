#include "restore/blur_model.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "sieve/core/watch.hpp"
#include "sieve/spectral/spectrum.hpp"

namespace sieve::internal {

namespace {

constexpr double kPi = std::numbers::pi;
constexpr int kFall = 5, kSoftness = 8;

// What is known before: how fast spectra fall, and the square of the sigma that sharp pictures have of their own; each
// counts as much as that share of all frequencies.
struct Before {
  int number;
  double mean, deviation;
};
constexpr Before kBefore[] = {{kFall, -2.2, 0.5}, {kSoftness, 0.3, 0.2}};
constexpr double kShare = 0.02;
// Noise is about what is left at the highest frequencies, within these factors.
constexpr double kLeastNoise = 0.5, kMostNoise = 1.5;

}  // namespace

BlurResponse gaussian_response(double sigma) {
  return [=](double fx, double fy) { return std::exp(-2 * kPi * kPi * sigma * sigma * (fx * fx + fy * fy)); };
}
BlurResponse disk_response(double radius) {
  return [=](double fx, double fy) {
    const double t = 2 * kPi * radius * std::hypot(fx, fy);
    return t < 1e-6 ? 1 : 2 * std::cyl_bessel_j(1, t) / t;
  };
}
BlurResponse motion_response(double length, double angle) {
  // The middles of the first and last pixel of a line lie almost a pixel less apart.
  const double reach = length - 15.0 / 16, across = reach * std::cos(angle * kPi / 180),
               down = -reach * std::sin(angle * kPi / 180);
  return [=](double fx, double fy) {
    const double t = kPi * (fx * across + fy * down);
    return std::abs(t) < 1e-6 ? 1 : std::sin(t) / t;
  };
}

BlurModel::BlurModel(const ConstView& plane, int stride) : side_(64), windows_(0) {
  constexpr int kLargest = 128;
  while (side_ < kLargest && 4 * side_ <= std::min(plane.width(), plane.height())) side_ *= 2;
  const int half = side_ / 2, columns = (plane.width() - side_) / half + 1, rows = (plane.height() - side_) / half + 1;
  windows_ = rows * columns;
  std::vector<double> power(static_cast<std::size_t>(side_ * side_));
  for (int j = 0; j < rows; ++j) {
    checkpoint();
    for (int i = 0; i < columns; ++i) {
      Image window(plane.part({i * half, j * half, side_, side_}));
      // The taper would spread the mean over low frequencies.
      double mean = 0;
      for (int y = 0; y < side_; ++y) {
        for (int x = 0; x < side_; ++x) mean += static_cast<double>(window.at(x, y)) / side_ / side_;
      }
      for (int y = 0; y < side_; ++y) {
        for (int x = 0; x < side_; ++x) window.at(x, y) -= static_cast<float>(mean);
      }
      const Spectrum s = spectrum(window, Taper::hann);
      for (int v = 0; v < side_; ++v) {
        for (int u = 0; u < side_; ++u) power[static_cast<std::size_t>(v * side_ + u)] += std::norm(s.at(u, v));
      }
    }
  }
  std::vector<double> highest;
  for (int v = 0; v <= half; ++v) {
    for (int u = 0; u < side_; ++u) {
      const int across = u <= half ? u : u - side_;
      // The other half is the same. Borders and what is upright or level in a picture stand on the axes.
      if (std::abs(across) <= 1 || v <= 1) continue;
      const double fx = static_cast<double>(across) / side_, fy = static_cast<double>(v) / side_,
                   f = std::hypot(fx, fy), p = power[static_cast<std::size_t>(v * side_ + u)];
      if (f > 0.42 && f < 0.5) highest.push_back(p);
      if (f > 0.49 || f < 3.0 / side_ || u % stride != 0 || v % stride != 0) continue;
      const double t = std::atan2(fy, fx), fall = std::log(f / 0.1);
      all_.push_back({fx,
                      fy,
                      p,
                      {1, std::cos(2 * t), std::sin(2 * t), std::cos(4 * t), std::sin(4 * t), fall,
                       fall * std::cos(2 * t), fall * std::sin(2 * t), -4 * kPi * kPi * f * f}});
    }
  }
  const auto quarter = highest.begin() + static_cast<std::ptrdiff_t>(highest.size() / 4);
  std::nth_element(highest.begin(), quarter, highest.end());
  // Where the picture has less, the leakage of the windows would be taken for the picture: as if that much grain had
  // been added, whose power in a window with Hann's taper is 9 / 64 of its variance over the number of pixels.
  constexpr double kGrain = 0.005;
  const double grain = kGrain * kGrain * 9 / 64 / side_ / side_ * windows_, floor = *quarter + grain;
  for (Frequency& f : all_) f.power = (f.power + grain) / floor;
}

BlurModel::Fit BlurModel::start() const {
  Fit f;
  for (const Frequency& q : all_) f.numbers[0] += std::log(q.power) / static_cast<double>(all_.size());
  for (const Before& b : kBefore) f.numbers[static_cast<std::size_t>(b.number)] = b.mean;
  f.noise = 1;
  f.score = score_of(f, std::vector<double>(all_.size(), 1.0));
  return f;
}

// The squared response as the windows show it: Hann's taper mixes each frequency with its neighbors.
std::vector<double> BlurModel::passed(const BlurResponse& response) const {
  constexpr double kMixed[] = {1 / 6.0, 2 / 3.0, 1 / 6.0};
  std::vector<double> all;
  all.reserve(all_.size());
  for (const Frequency& q : all_) {
    double sum = 0;
    for (int j = -1; j <= 1; ++j) {
      for (int i = -1; i <= 1; ++i) {
        const double r = response(q.fx + static_cast<double>(i) / side_, q.fy + static_cast<double>(j) / side_);
        sum += kMixed[i + 1] * kMixed[j + 1] * r * r;
      }
    }
    all.push_back(sum);
  }
  return all;
}

// Powers of a spectrum are distributed as exponentials about their mean, and means of such as gammas: log p + power / p
// but for a factor (Whittle, 1953).
double BlurModel::score_of(const Fit& fit, const std::vector<double>& passed) const {
  double sum = 0;
  for (std::size_t i = 0; i < all_.size(); ++i) {
    double log_signal = 0;
    for (std::size_t k = 0; k < kNumbers; ++k) log_signal += fit.numbers[k] * all_[i].terms[k];
    const double p = std::exp(log_signal) * passed[i] + fit.noise;
    sum -= std::log(p) + all_[i].power / p;
  }
  double score = sum / static_cast<double>(all_.size());
  for (const Before& b : kBefore)
    score -= 0.5 * kShare * std::pow((fit.numbers[static_cast<std::size_t>(b.number)] - b.mean) / b.deviation, 2);
  return score;
}

BlurModel::Fit BlurModel::fit(const BlurResponse& response, const Fit& from, int rounds) const {
  constexpr int kAll = kNumbers + 1;
  const std::vector<double> h = passed(response);
  const auto count = static_cast<double>(all_.size());
  Fit best = from;
  best.score = score_of(best, h);
  for (int round = 0; round < rounds; ++round) {
    Eigen::Matrix<double, kAll, kAll> a = Eigen::Matrix<double, kAll, kAll>::Zero();
    Eigen::Matrix<double, kAll, 1> b = Eigen::Matrix<double, kAll, 1>::Zero();
    for (std::size_t i = 0; i < all_.size(); ++i) {
      double log_signal = 0;
      for (std::size_t k = 0; k < kNumbers; ++k) log_signal += best.numbers[k] * all_[i].terms[k];
      const double signal = std::exp(log_signal) * h[i], p = signal + best.noise;
      // One line of the picture far above the model must not carry the step away.
      const double misses = std::min((all_[i].power - p) / p, 4.0);
      Eigen::Matrix<double, kAll, 1> d;
      for (int k = 0; k < kNumbers; ++k) d[k] = signal / p * all_[i].terms[static_cast<std::size_t>(k)];
      d[kNumbers] = best.noise / p;
      a.selfadjointView<Eigen::Lower>().rankUpdate(d);
      b += misses * d;
    }
    for (const Before& known : kBefore) {
      const double weight = kShare * count / (known.deviation * known.deviation);
      a(known.number, known.number) += weight;
      b[known.number] -= weight * (best.numbers[static_cast<std::size_t>(known.number)] - known.mean);
    }
    a.diagonal() *= 1.001;
    a.diagonal().array() += 1e-6 * count;
    const Eigen::Matrix<double, kAll, 1> step = a.selfadjointView<Eigen::Lower>().ldlt().solve(b);
    Fit next;
    double share = 1;
    for (int tries = 0; tries < 5; ++tries, share /= 2) {
      next = best;
      for (int k = 0; k < kNumbers; ++k) next.numbers[static_cast<std::size_t>(k)] += share * step[k];
      next.noise =
          std::clamp(best.noise * std::exp(std::clamp(share * step[kNumbers], -1.0, 1.0)), kLeastNoise, kMostNoise);
      next.score = score_of(next, h);
      if (next.score > best.score) break;
    }
    if (!(next.score > best.score)) break;
    const double gain = next.score - best.score;
    best = next;
    if (gain < 1e-5) break;
  }
  return best;
}

double BlurModel::informative(const Fit& fit) const {
  double sum = 0;
  for (const Frequency& q : all_) {
    double log_signal = 0;
    for (std::size_t k = 0; k < kNumbers; ++k) log_signal += fit.numbers[k] * q.terms[k];
    const double signal = std::exp(log_signal), share = signal / (signal + fit.noise);
    sum += share * share;
  }
  return sum / static_cast<double>(all_.size());
}

}  // namespace sieve::internal
