#include "restore/blur_model.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/at_share.hpp"
#include "core/to_integer.hpp"
#include "restore/window_power.hpp"

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
    const auto i = to_integer<std::size_t>(place, 0, values_.size() - 2);
    return values_[i] + (place - static_cast<double>(i)) * (values_[i + 1] - values_[i]);
  }

 private:
  static constexpr int kPerUnit = 64;
  std::array<double, 128 * kPerUnit> values_;
};
const SquaredTable& disk_squared() {
  static const SquaredTable table([](double t) { return t < 1e-6 ? 1 : 2 * ::j1(t) / t; });
  return table;
}
const SquaredTable& line_squared() {
  static const SquaredTable table([](double t) { return t < 1e-6 ? 1 : std::sin(t) / t; });
  return table;
}

// The mean power spectrum of windows, which count by a root of their own power beyond the coarsest: most of a picture
// may be even, and show but its grain; but one strong pattern must not count for all.
std::vector<double> mean_power(const ConstView& plane, int side) {
  // What counts beyond, in cycles per pixel, and the power of grain of 0.003, with which even windows count alike.
  constexpr double kCoarsest = 0.06, kEven = 1e-5, kByPower = 0.65;
  std::vector<float> counts;
  for (int row = 0; row < side; ++row) {
    for (int across = 0; across <= side / 2; ++across)
      counts.push_back(std::hypot(across, row <= side / 2 ? row : row - side) > kCoarsest * side ? 1.0F : 0.0F);
  }
  return window_power(plane, side, [&](const std::complex<float>* spectrum) {
    double power = kEven * kHannPower * std::pow(side, 4);
    for (std::size_t k = 0; k < counts.size(); ++k) power += static_cast<double>(counts[k] * std::norm(spectrum[k]));
    return std::pow(power, kByPower);
  });
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
  const int half = side_ / 2;
  windows_ = windows_along(plane.width(), side_) * windows_along(plane.height(), side_);
  const std::vector<double> power = mean_power(plane, side_);
  std::vector<double> highest, kept;
  std::vector<std::array<double, kNumbers>> terms;
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
      all_.places.push_back({u, down});
      kept.push_back(p);
      terms.push_back({1, std::cos(2 * t), std::sin(2 * t), std::cos(4 * t), std::sin(4 * t), fall,
                       fall * std::cos(2 * t), fall * std::sin(2 * t), -4 * kPi * kPi * f * f});
    }
  }
  // Where the picture has less, the leakage of the windows would be taken for the picture: as if that much grain had
  // been added.
  constexpr double kGrain = 0.005;
  const double grain = kGrain * kGrain * kHannPower * side_ * side_, floor = at_share(highest, 0.25) + grain;
  const auto count = static_cast<Eigen::Index>(kept.size());
  all_.power.resize(count);
  all_.terms.resize(count, kNumbers);
  for (Eigen::Index i = 0; i < count; ++i) {
    const auto at = static_cast<std::size_t>(i);
    all_.power[i] = static_cast<float>((kept[at] + grain) / floor);
    for (int k = 0; k < kNumbers; ++k) all_.terms(i, k) = static_cast<float>(terms[at][static_cast<std::size_t>(k)]);
  }
}

BlurModel BlurModel::thinned(int stride) const {
  std::vector<Eigen::Index> kept;
  for (std::size_t i = 0; i < all_.places.size(); ++i) {
    if (all_.places[i][0] % stride == 0 && all_.places[i][1] % stride == 0)
      kept.push_back(static_cast<Eigen::Index>(i));
  }
  BlurModel m = *this;
  m.all_.places.clear();
  for (const Eigen::Index i : kept) m.all_.places.push_back(all_.places[static_cast<std::size_t>(i)]);
  m.all_.power = all_.power(kept);
  m.all_.terms = all_.terms(kept, Eigen::all);
  return m;
}

BlurModel::Fit BlurModel::start() const {
  Fit f;
  f.numbers[0] = static_cast<double>(all_.power.log().mean());
  for (const Before& b : kBefore) f.numbers[static_cast<std::size_t>(b.number)] = b.mean;
  f.noise = 1;
  return f;
}

Eigen::ArrayXf BlurModel::passed(const BlurResponse& response) const {
  constexpr double kMixed[] = {1 / 6.0, 2 / 3.0, 1 / 6.0};
  Eigen::ArrayXf all(all_.power.size());
  for (Eigen::Index k = 0; k < all.size(); ++k) {
    const auto [u, v] = all_.places[static_cast<std::size_t>(k)];
    double sum = 0;
    for (int j = -1; j <= 1; ++j) {
      for (int i = -1; i <= 1; ++i) {
        sum += kMixed[i + 1] * kMixed[j + 1] *
               response.squared(static_cast<double>(u + i) / side_, static_cast<double>(v + j) / side_);
      }
    }
    all[k] = static_cast<float>(sum);
  }
  return all;
}

Eigen::ArrayXf BlurModel::signal_of(const Fit& fit, const Eigen::ArrayXf& passed) const {
  const Eigen::Matrix<float, kNumbers, 1> numbers =
      Eigen::Map<const Eigen::Matrix<double, kNumbers, 1>>(fit.numbers.data()).cast<float>();
  return (all_.terms * numbers).array().exp() * passed;
}

// Powers of a spectrum are distributed as exponentials about their mean, and means of such as gammas: log p + power / p
// but for a factor (Whittle, 1953).
double BlurModel::score_of(const Fit& fit, const Eigen::ArrayXf& signal) const {
  const Eigen::ArrayXf p = signal + static_cast<float>(fit.noise);
  double score = -static_cast<double>((p.log() + all_.power / p).mean());
  for (const Before& b : kBefore)
    score -= 0.5 * kShare * std::pow((fit.numbers[static_cast<std::size_t>(b.number)] - b.mean) / b.deviation, 2);
  return score;
}

BlurModel::Fit BlurModel::fit(const BlurResponse& response, const Fit& from, int rounds) const {
  constexpr int kAll = kNumbers + 1;
  const Eigen::ArrayXf h = passed(response);
  const auto count = static_cast<double>(h.size());
  Fit best = from;
  Eigen::ArrayXf signal = signal_of(best, h);
  best.score = score_of(best, signal);
  Eigen::Matrix<float, Eigen::Dynamic, kAll> slopes(h.size(), kAll);  // of log p by every number
  for (int round = 0; round < rounds; ++round) {
    const Eigen::ArrayXf p = signal + static_cast<float>(best.noise);
    // One line of the picture far above the model must not carry the step away.
    const Eigen::ArrayXf misses = ((all_.power - p) / p).min(4.0F), share_of_signal = signal / p;
    for (int k = 0; k < kNumbers; ++k) slopes.col(k) = share_of_signal * all_.terms.col(k).array();
    slopes.col(kNumbers) = static_cast<float>(best.noise) / p;
    Eigen::Matrix<double, kAll, kAll> a = (slopes.transpose() * slopes).cast<double>();
    Eigen::Matrix<double, kAll, 1> b = (slopes.transpose() * misses.matrix()).cast<double>();
    for (const Before& known : kBefore) {
      const double weight = kShare * count / (known.deviation * known.deviation);
      a(known.number, known.number) += weight;
      b[known.number] -= weight * (best.numbers[static_cast<std::size_t>(known.number)] - known.mean);
    }
    a.diagonal() *= 1.001;
    a.diagonal().array() += 1e-6 * count;
    const Eigen::Matrix<double, kAll, 1> step = a.ldlt().solve(b);
    Fit next;
    Eigen::ArrayXf next_signal;
    double share = 1;
    for (int tries = 0; tries < 5; ++tries, share /= 2) {
      next = best;
      for (int k = 0; k < kNumbers; ++k) next.numbers[static_cast<std::size_t>(k)] += share * step[k];
      next.noise =
          std::clamp(best.noise * std::exp(std::clamp(share * step[kNumbers], -1.0, 1.0)), kLeastNoise, kMostNoise);
      next_signal = signal_of(next, h);
      next.score = score_of(next, next_signal);
      if (next.score > best.score) break;
    }
    if (!(next.score > best.score)) break;
    const double gain = next.score - best.score;
    best = next;
    signal.swap(next_signal);
    if (gain < 1e-5) break;
  }
  return best;
}

double BlurModel::informative(const Fit& fit) const {
  const Eigen::ArrayXf signal = signal_of(fit, Eigen::ArrayXf::Ones(all_.power.size()));
  return static_cast<double>((signal / (signal + static_cast<float>(fit.noise))).square().mean());
}

}  // namespace sieve::internal
