#include "restore/signal_model.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/at_share.hpp"

namespace sieve::internal {

SignalModel::SignalModel(const ConstView& plane, const Transfer2d& transfer, double noise)
    : transfer_(transfer),
      measured_(ChannelSpectrum(plane, transfer).measure()),
      rings_(measured_),
      pixels_(static_cast<double>(measured_.grid.frame.width) * measured_.grid.frame.height),
      floor_(noise * noise * pixels_) {
  std::array<bool, kRings> told{};
  PowerLine line(-6, -2.5);
  for (std::size_t i = 0; i < kRings; ++i) {
    const auto& r = rings_[i];
    if (r.count == 0) continue;
    signal_[i] = r.before(floor_);
    told[i] = r.passed >= 0.1 && r.power >= 2 * floor_ && signal_[i] > 0;
    if (told[i] && i > 0) line.add(i, signal_[i]);
  }
  for (std::size_t i = 0; i < kRings; ++i) {
    if (!told[i] && !line.empty()) signal_[i] = line.at(i);
  }
}

double SignalModel::expected_error() const {
  const auto error = measured_.sum<1>([&](int u, int v, double times, double h2, double, auto& sum) {
    const double s = signal_[rings_.ring(u, v)];
    if (s > 0 && (u != 0 || v != 0)) sum[0] += times * s * floor_ / (h2 * s + floor_);
  });
  return std::sqrt(error[0]) / pixels_;
}

std::complex<double> SignalModel::stretch(int u, int v) const {
  // A PSF that is larger by a share has the transfer function of a frequency that is higher by it.
  constexpr double kLarger = 0.04;
  const Grid& g = transfer_.grid;
  const double across = std::min((1 + kLarger) * u, g.columns - 1.0);
  const int signed_v = 2 * v > g.rows ? v - g.rows : v;
  const double down = std::clamp((1 + kLarger) * signed_v, -0.5 * g.rows, 0.5 * g.rows);
  // A picture one pixel wide has a single column.
  const int x = std::max(0, std::min(static_cast<int>(across), g.columns - 2)), right = std::min(x + 1, g.columns - 1),
            y = static_cast<int>(std::floor(down));
  const double a = across - x, b = down - y;
  const auto at = [&](int i, int j) { return transfer_.at(i, (j + g.rows) % g.rows); };
  const std::complex<double> there =
      (1 - b) * ((1 - a) * at(x, y) + a * at(right, y)) + b * ((1 - a) * at(x, y + 1) + a * at(right, y + 1));
  return (there - transfer_.at(u, v)) / kLarger;
}

double SignalModel::psf_error() const {
  constexpr std::size_t kLeast = 30;
  constexpr double kMost = 0.15, kMedian = 0.693;  // of a power that is distributed as an exponential, over its mean
  // Where the PSF at hand lets through less than the noise, though one of another size would not. The median, since
  // fences and the border of the picture stand on few frequencies; the axes are theirs.
  std::vector<float> shares;
  for (int u = 2; u < measured_.grid.columns; ++u) {
    for (int v = 2; v + 1 < measured_.grid.rows; ++v) {
      const std::size_t k = measured_.grid.place(u, v);
      const double s = signal_[rings_.ring(u, v)];
      if (measured_.transfer[k] * s > floor_) continue;
      const double by_size = std::norm(stretch(u, v)) * s;
      if (0.01 * by_size > floor_) shares.push_back(static_cast<float>((measured_.picture[k] - floor_) / by_size));
    }
  }
  if (shares.size() < kLeast) return 0;
  return std::min(kMost, std::sqrt(std::max(0.0, static_cast<double>(at_share(shares, 0.5)) / kMedian)));
}

std::vector<float> SignalModel::noise_with(double psf_error) const {
  std::vector<float> all(measured_.grid.size());
  for (int u = 0; u < measured_.grid.columns; ++u) {
    for (int v = 0; v < measured_.grid.rows; ++v)
      all[measured_.grid.place(u, v)] = static_cast<float>(1 + psf_error * psf_error * std::norm(stretch(u, v)) *
                                                                   signal_[rings_.ring(u, v)] / floor_);
  }
  return all;
}

double SignalModel::deviation_with(double psf_error) const {
  const auto sum = measured_.sum<1>([&](int u, int v, double times, double, double, auto& s) {
    s[0] += times *
            (floor_ +
             (u == 0 && v == 0 ? 0 : psf_error * psf_error * std::norm(stretch(u, v)) * signal_[rings_.ring(u, v)]));
  });
  return std::sqrt(sum[0]) / pixels_;
}

}  // namespace sieve::internal
