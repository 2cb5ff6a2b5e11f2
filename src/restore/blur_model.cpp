#include "restore/blur_model.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/at_share.hpp"
#include "fft/fft.hpp"
#include "sieve/core/parallel.hpp"
#include "sieve/core/watch.hpp"

namespace sieve::internal {

namespace {

constexpr double kPi = std::numbers::pi;
// The mean square of Hann's taper along both directions.
constexpr double kHannPower = 9.0 / 64;
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

// A squared response by its argument, in steps: frequencies and sizes are many, and Bessel's function is slow.
class SquaredTable {
 public:
  explicit SquaredTable(double (*response)(double)) {
    for (std::size_t i = 0; i < values_.size(); ++i) {
      const double r = response(static_cast<double>(i) / kPerUnit);
      values_[i] = r * r;
    }
  }
  double at(double t) const {
    const double place = std::min(std::abs(t) * kPerUnit, static_cast<double>(values_.size()) - 2);
    const auto i = static_cast<std::size_t>(place);
    return values_[i] + (place - static_cast<double>(i)) * (values_[i + 1] - values_[i]);
  }

 private:
  static constexpr int kPerUnit = 64;
  std::array<double, 128 * kPerUnit> values_;
};
const SquaredTable& disk_squared() {
  static const SquaredTable table([](double t) { return t < 1e-6 ? 1 : 2 * std::cyl_bessel_j(1, t) / t; });
  return table;
}
const SquaredTable& line_squared() {
  static const SquaredTable table([](double t) { return t < 1e-6 ? 1 : std::sin(t) / t; });
  return table;
}

// The mean power spectrum of windows with Hann's taper, each without its mean, half of each beside the next: rows of
// side / 2 + 1. Windows count by a root of their own power beyond the coarsest: most of a picture may be even, and show
// but its grain; but one strong pattern must not count for all.
std::vector<double> mean_power(const ConstView& plane, int side, int columns, int rows) {
  const auto fft = RealFft2d::of(side, side);
  const std::size_t numbers = fft->spectrum_size();
  // What counts beyond, in cycles per pixel, and the power of grain of 0.003, with which even windows count alike.
  constexpr double kCoarsest = 0.06, kEven = 1e-5, kByPower = 0.65;
  std::vector<double> counts(numbers);
  for (std::size_t k = 0; k < numbers; ++k) {
    const int across = static_cast<int>(k) % (side / 2 + 1), row = static_cast<int>(k) / (side / 2 + 1),
              down = row <= side / 2 ? row : row - side;
    counts[k] = std::hypot(across, down) > kCoarsest * side ? 1 : 0;
  }
  std::vector<double> taper;
  for (int i = 0; i < side; ++i) taper.push_back(0.5 - 0.5 * std::cos(2 * kPi * (i + 0.5) / side));
  // Row by row, so that the order of the sums does not depend on the threads.
  struct Sum {
    std::vector<double> powers;
    double weights = 0;
  };
  std::vector<Sum> of_row(static_cast<std::size_t>(rows), Sum{std::vector<double>(numbers)});
  parallel_rows(
      rows, RowCost(static_cast<std::size_t>(side * side * columns), 16),
      [&](int first, int last) {
        const FftArray<float> samples(static_cast<std::size_t>(side * side));
        const FftArray<std::complex<float>> spectrum(numbers);
        for (int j = first; j < last; ++j) {
          checkpoint();
          for (int i = 0; i < columns; ++i) {
            const ConstView window = plane.part({i * side / 2, j * side / 2, side, side});
            // The taper would spread the mean over low frequencies.
            double mean = 0;
            for (int y = 0; y < side; ++y) {
              for (int x = 0; x < side; ++x) mean += static_cast<double>(window.at(x, y)) / side / side;
            }
            for (int y = 0; y < side; ++y) {
              const float* row = window.row(y, 0);
              for (int x = 0; x < side; ++x) {
                const auto at = static_cast<std::size_t>(y * side + x);
                samples[at] =
                    static_cast<float>((static_cast<double>(row[x]) - mean) * taper[static_cast<std::size_t>(x)] *
                                       taper[static_cast<std::size_t>(y)]);
              }
            }
            fft->forward(samples.data(), spectrum.data());
            double weight = kEven * kHannPower * std::pow(side, 4);
            for (std::size_t k = 0; k < numbers; ++k) weight += counts[k] * static_cast<double>(std::norm(spectrum[k]));
            weight = std::pow(weight, kByPower);
            Sum& sum = of_row[static_cast<std::size_t>(j)];
            for (std::size_t k = 0; k < numbers; ++k)
              sum.powers[k] += weight * static_cast<double>(std::norm(spectrum[k]));
            sum.weights += weight;
          }
        }
      },
      1);
  Sum all{std::vector<double>(numbers)};
  for (const Sum& row : of_row) {
    for (std::size_t k = 0; k < numbers; ++k) all.powers[k] += row.powers[k];
    all.weights += row.weights;
  }
  for (double& p : all.powers) p /= all.weights;
  return all.powers;
}

}  // namespace

BlurResponse BlurResponse::motion(double length, double angle) {
  // The middles of the first and last pixel of a line lie almost a pixel less apart.
  const double reach = length - 15.0 / 16;
  return {Kind::motion, reach * std::cos(angle * kPi / 180), -reach * std::sin(angle * kPi / 180)};
}

BlurResponse BlurResponse::of(const Kernel& psf) {
  constexpr int kSide = kLargestWindow;
  std::vector<std::complex<double>> turns;
  for (int i = 0; i < kSide; ++i) turns.push_back(std::polar(1.0, -2 * kPi * i / kSide));
  const auto turn = [&](int u, int x) { return turns[static_cast<std::size_t>(u * x % kSide)]; };
  // Rows first, then columns.
  std::vector<std::complex<double>> rows(static_cast<std::size_t>(kSide * psf.height()));
  for (int y = 0; y < psf.height(); ++y) {
    for (int u = 0; u < kSide; ++u) {
      for (int x = 0; x < psf.width(); ++x) rows[static_cast<std::size_t>(y * kSide + u)] += psf.at(x, y) * turn(u, x);
    }
  }
  std::vector<double> squares;
  for (int v = 0; v < kSide; ++v) {
    for (int u = 0; u < kSide; ++u) {
      std::complex<double> sum = 0;
      for (int y = 0; y < psf.height(); ++y) sum += rows[static_cast<std::size_t>(y * kSide + u)] * turn(v, y);
      squares.push_back(std::norm(sum));
    }
  }
  BlurResponse r(Kind::weights, 0, 0);
  r.table_ = std::make_shared<const std::vector<double>>(std::move(squares));
  return r;
}

double BlurResponse::squared(double fx, double fy) const {
  switch (kind_) {
    case Kind::none:
      return 1;
    case Kind::gaussian:
      return std::exp(-4 * kPi * kPi * across_ * across_ * (fx * fx + fy * fy));
    case Kind::disk:
      return disk_squared().at(2 * kPi * across_ * std::sqrt(fx * fx + fy * fy));
    case Kind::motion:
      return line_squared().at(kPi * (fx * across_ + fy * down_));
    case Kind::weights: {
      const auto place = [](double f) {
        return static_cast<std::size_t>(std::lround(f * kLargestWindow) + kLargestWindow) % kLargestWindow;
      };
      return (*table_)[place(fy) * kLargestWindow + place(fx)];
    }
  }
  return 1;
}

BlurModel::BlurModel(const ConstView& plane, int stride) : side_(64), windows_(0) {
  while (side_ < kLargestWindow && 4 * side_ <= std::min(plane.width(), plane.height())) side_ *= 2;
  const int half = side_ / 2, columns = (plane.width() - side_) / half + 1, rows = (plane.height() - side_) / half + 1;
  windows_ = rows * columns;
  const std::vector<double> power = mean_power(plane, side_, columns, rows);
  std::vector<double> highest;
  for (int v = 0; v < side_; ++v) {
    for (int u = 0; u <= half; ++u) {
      const int down = v <= half ? v : v - side_;
      // The other half is the same. Borders and what is upright or level in a picture stand on the axes.
      if (u <= 1 || std::abs(down) <= 1) continue;
      const double fx = static_cast<double>(u) / side_, fy = static_cast<double>(down) / side_, f = std::hypot(fx, fy),
                   p = power[static_cast<std::size_t>(v * (half + 1) + u)];
      if (f > 0.42 && f < 0.5) highest.push_back(p);
      if (f > 0.49 || f < 3.0 / side_ || u % stride != 0 || v % stride != 0) continue;
      const double t = std::atan2(fy, fx), fall = std::log(f / 0.1);
      all_.push_back({u,
                      down,
                      fx,
                      fy,
                      p,
                      {1, std::cos(2 * t), std::sin(2 * t), std::cos(4 * t), std::sin(4 * t), fall,
                       fall * std::cos(2 * t), fall * std::sin(2 * t), -4 * kPi * kPi * f * f}});
    }
  }
  // Where the picture has less, the leakage of the windows would be taken for the picture: as if that much grain had
  // been added.
  constexpr double kGrain = 0.005;
  const double grain = kGrain * kGrain * kHannPower * side_ * side_, floor = at_share(highest, 0.25) + grain;
  for (Frequency& f : all_) f.power = (f.power + grain) / floor;
}

BlurModel BlurModel::thinned(int stride) const {
  BlurModel m = *this;
  std::erase_if(m.all_, [=](const Frequency& q) { return q.u % stride != 0 || q.v % stride != 0; });
  return m;
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
        sum += kMixed[i + 1] * kMixed[j + 1] *
               response.squared(q.fx + static_cast<double>(i) / side_, q.fy + static_cast<double>(j) / side_);
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
      // Whole columns are faster than their lower halves.
      for (int k = 0; k < kAll; ++k) a.col(k) += d[k] * d;
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
